"""Quantities: what people type is read right or refused with a sentence; what is shown can be read back."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from kelvarn.units import SCALES, Quantity, Scale, UnitError, from_shown, parse, retold, show, to_shown

Q = Quantity


@pytest.mark.parametrize(
    ("text", "quantity", "value"),
    [
        ("2h30", Q.DURATION, 9000),
        ("1:30", Q.DURATION, 5400),
        ("1 h 30 min 5 s", Q.DURATION, 5405),
        ("2.5 min", Q.DURATION, 150),
        ("90", Q.DURATION, 90),
        ("150 °F", Q.TEMPERATURE, 65.5555555),
        ("300 K", Q.TEMPERATURE, 26.85),
        ("−4", Q.TEMPERATURE, -4),
        ("4.5 kJ/K", Q.CAPACITY, 4500),
        ("0.2 K/W", Q.CONDUCTANCE, 5),
        ("2,5 W/K", Q.CONDUCTANCE, 2.5),
        ("9 °F", Q.DIFFERENCE, 5),
        ("16 % per K", Q.GAIN, 0.16),
        ("16", Q.GAIN, 0.16),
        ("9 % per °F", Q.GAIN, 0.162),
        ("1 Wh", Q.ENERGY, 3600),
        ("40", Q.DRIVE, 0.4),
        ("3 K/min", Q.RAMP, 0.05),
    ],
)
def test_reads_what_people_type(text: str, quantity: Quantity, value: float) -> None:
    assert parse(text, quantity) == pytest.approx(value)


@pytest.mark.parametrize(
    ("text", "quantity", "part"),
    [
        ("12 bananas", Q.CAPACITY, "“bananas” is not a unit of heat capacity; use J/K"),
        ("12 bananas", Q.DURATION, "“bananas” is not a unit of duration"),
        ("12 bananas", Q.TEMPERATURE, "use °C, °F, K"),
        ("", Q.POWER, "Type a number: power"),
        ("warm", Q.TEMPERATURE, "does not start with a number"),
        ("1,500", Q.POWER, "can be read two ways; write 1500 or 1.500"),
        ("1e999", Q.POWER, "too large"),
        ("nan", Q.POWER, "does not start with a number"),
        ("5 W", Q.CONDUCTANCE, "“W” is not a unit of conductance"),
        ("0 K/W", Q.CONDUCTANCE, "endless"),
        ("2h30h40", Q.DURATION, None),
        ("5 min soon", Q.DURATION, "not a duration"),
    ],
)
def test_refuses_the_rest_with_one_sentence(text: str, quantity: Quantity, part: str | None) -> None:
    if part is None:
        assert parse(text, quantity) > 0
        return
    with pytest.raises(UnitError) as caught:
        parse(text, quantity)
    assert part in str(caught.value)
    assert "\n" not in str(caught.value)


def test_a_difference_never_takes_the_32() -> None:
    assert parse("10", Q.DIFFERENCE, Scale.FAHRENHEIT) == pytest.approx(50 / 9)
    assert show(5.0, Q.DIFFERENCE, Scale.FAHRENHEIT) == "9.0 °F"
    assert parse("10", Q.TEMPERATURE, Scale.FAHRENHEIT) == pytest.approx(-110 / 9)


@given(
    st.sampled_from(list(Quantity)),
    st.sampled_from(list(SCALES)),
    st.floats(min_value=-200, max_value=5e5).filter(lambda v: v == 0 or abs(v) > 1e-3),
)
def test_what_is_shown_reads_back(quantity: Quantity, scale: Scale, value: float) -> None:
    if quantity is Q.DURATION:
        value = abs(value)
    text = show(value, quantity, scale, exact=True)
    assert parse(text, quantity, scale) == pytest.approx(value, rel=2e-6, abs=2e-4)
    assert from_shown(to_shown(value, quantity, scale), quantity, scale) == pytest.approx(value, rel=1e-9, abs=1e-9)


@pytest.mark.long
@given(st.text(max_size=20), st.sampled_from(list(Quantity)))
def test_any_text_is_a_number_or_a_unit_error(text: str, quantity: Quantity) -> None:
    try:
        assert abs(parse(text, quantity)) < float("inf")
    except UnitError as error:
        assert str(error)


def test_a_rig_with_a_unit_of_its_own_shows_numbers_as_they_are() -> None:
    humid = Scale("% RH", own=True)
    assert show(45.0, Quantity.TEMPERATURE, humid) == "45.0 % RH"
    assert show(0.02, Quantity.GAIN, humid) == "2 % per % RH"
    assert parse("45", Quantity.TEMPERATURE, humid) == 45
    assert parse("2.5 % RH", Quantity.DIFFERENCE, humid) == 2.5
    assert parse("6 % RH/min", Quantity.RAMP, humid) == pytest.approx(0.1)
    assert from_shown(to_shown(0.3, Quantity.GAIN, humid), Quantity.GAIN, humid) == pytest.approx(0.3)
    with pytest.raises(UnitError, match="is not the unit of this rig; use % RH"):
        parse("45 °C", Quantity.TEMPERATURE, humid)
    assert show(30.0, Quantity.DURATION, humid) == "30 s"


@pytest.mark.parametrize(
    ("value", "quantity", "shown"),
    [(844, Q.DURATION, "844 s"), (5400, Q.DURATION, "90 min"), (8444.4, Q.DURATION, "8444.4 s"),
     (121.5, Q.DURATION, "2.025 min"), (41633 * 3600, Q.ENERGY, "41.633 kWh"), (600e3, Q.ENERGY, "600 kJ"),
     (250 * 3600, Q.ENERGY, "250 Wh")],
)  # fmt: skip
def test_what_was_typed_is_shown_without_needless_decimals(value: float, quantity: Q, shown: str) -> None:
    assert show(value, quantity, exact=True) == shown
    assert parse(shown, quantity) == pytest.approx(value, rel=1e-12)


@pytest.mark.parametrize(
    ("said", "told"),
    [
        ("at least 0.5 K above 50 °C", "at least 0.9 °F above 122 °F"),
        ("mindestens 0,5 K über 50 °C, nicht −12,5 °C", "mindestens 0,9 °F über 122 °F, nicht 9,5 °F"),
    ],
)
def test_sentences_are_told_in_another_scale_with_the_mark_that_they_have(said: str, told: str) -> None:
    assert retold(said, Scale.FAHRENHEIT) == told
    assert retold(said, Scale.CELSIUS) == said
