"""Devices of others that speak their own JSON: what their values are taken for."""

import json
import random
from typing import Any

import pytest

from kelvarn.link.foreign import Foreign, bound, chosen_as, flattened
from kelvarn.link.lines import LineError, number
from kelvarn.link.spoken import SpokenWire, Told

# Twenty made shapes: messages by topic, and where reading, setpoint and drive stand (None: there is none).
T, S, D = 61.5, 60.0, 0.4
SHAPES: list[tuple[dict[str, Any], tuple[str | None, str | None, str | None]]] = [
    ({"": {"temperature": T, "setpoint": S, "duty": 40}}, ("temperature", "setpoint", "duty")),
    ({"": {"temp": T, "target": S, "heater": True}}, ("temp", "target", "heater")),
    ({"state": {"current_temperature": T, "target_temperature": S, "power_pct": 40}},
     ("state/current_temperature", "state/target_temperature", "state/power_pct")),
    ({"": {"t": T, "sp": S, "out": 0.4, "ts": 1700000000}}, ("t", "sp", "out")),
    ({"sensor": {"DS18B20": {"Temperature": T}}, "relay": "ON"}, ("sensor/DS18B20/Temperature", None, "relay")),
    ({"": {"oven": {"actual": T, "desired": S, "pwm": 102}}}, ("oven/actual", "oven/desired", "oven/pwm")),
    ({"temp": T, "setpoint": S, "output": 40.0}, ("temp", "setpoint", "output")),
    ({"": {"name": "chamber temp", "value": T, "battery": 91}}, ("chamber temp/value", None, None)),
    ({"": [{"sensor": "probe", "value": T}, {"sensor": "heater", "state": "off"}]},
     ("0/probe/value", None, "1/heater/state")),
    ({"": {"ist": T, "soll": S, "stellgrad": 40}}, ("ist", "soll", "stellgrad")),
    ({"": {"tempF": T * 1.8 + 32, "setpointF": S * 1.8 + 32, "relay": 1}}, ("tempF", "setpointF", "relay")),
    ({"": {"temperature": f"{T} °C", "target": f"{S} °C", "heating": "yes"}}, ("temperature", "target", "heating")),
    ({"": {"temp_x10": 615, "set_temp_x10": 600, "valve": 40}}, ("temp_x10", "set_temp_x10", "valve")),
    ({"": {"uptime": 55, "rssi": -61, "temperature": T, "humidity": 44.0}}, ("temperature", None, None)),
    ({"": {"control": {"setpoint": S, "kp": 2.0, "ki": 0.1, "kd": 0.0, "output": 40}, "input": {"temperature": T}}},
     ("input/temperature", "control/setpoint", "control/output")),
    ({"climate": {"temperature": {"measured": T, "target": S}, "fan": 40}},
     ("climate/temperature/measured", "climate/temperature/target", "climate/fan")),
    ({"": {"maxTemp": 90.0, "minTemp": 5.0, "temp": T, "targetTemp": S, "heaterLevel": 0.4}},
     ("temp", "targetTemp", "heaterLevel")),
    ({"": {"outdoor_temperature": 3.5, "temperature": T, "setpoint": S, "on": False}},
     ("temperature", "setpoint", "on")),
    ({"mdeg": 61500}, (None, None, None)),  # nothing tells what it is
    ({"": {"milli_celsius": 61500, "wanted": S, "speed": 40, "seq": 12}}, ("milli_celsius", "wanted", "speed")),
]  # fmt: skip


def seen_of(shape: dict[str, Any], turns: int = 5) -> dict[str, list[float]]:
    seen: dict[str, list[float]] = {}
    for _ in range(turns):
        for topic, told in shape.items():
            for path, value in flattened(topic, json.dumps(told).encode()).items():
                seen.setdefault(path, []).append(value)
    return seen


def test_of_twenty_shapes_at_least_eighteen_are_bound_rightly() -> None:
    assert len(SHAPES) == 20
    right = []
    for k, (shape, wanted) in enumerate(SHAPES):
        found = {each.role: each for each in bound(seen_of(shape)) if each.role != "extra"}
        where = tuple(found[role].where if role in found else None for role in ("reading", "setpoint", "drive"))
        if where == wanted:
            right.append(k)
    assert len(right) >= 18, set(range(20)) - set(right)


@pytest.mark.parametrize("k", range(20))
def test_values_are_in_degrees_and_shares_whatever_they_came_in(k: int) -> None:
    shape, (reading, setpoint, drive) = SHAPES[k]
    seen = seen_of(shape)
    for each in bound(seen):
        value = each.value(seen[each.where][-1])
        if each.role == "reading" and each.where == reading:
            assert value == pytest.approx(T)
        elif each.role == "setpoint" and each.where == setpoint:
            assert value == pytest.approx(S)
        elif each.role == "drive" and each.where == drive:
            assert value in (pytest.approx(D), 0.0, 1.0)
        assert each.why


def test_what_is_told_becomes_samples_and_nothing_is_ordered() -> None:
    at = [0.0]
    device = Foreign("mqtt://h/oven", clock=lambda: at[0])
    device.bind(bound(seen_of(SHAPES[0][0]) | {"voltage": [12.0]}))
    device.take({"temperature": 61.5, "voltage": 12.1})
    at[0] = 2.0
    device.take({"setpoint": 60.0, "duty": 40.0})
    device.take({"temperature": 61.75})
    first, second = device.samples()
    assert device.samples() == []
    assert first.plain[0].split()[:3] == ["0", "61.500", "61.500"]  # no setpoint yet: none is made up far away
    assert second.plain[0].split()[:5] == ["2000", "61.750", "60.000", "40.00", "40.00"]
    assert device.order(["stop"]).startswith("it is no program of Kelvarn")
    assert device.values() == ["voltage 12.100000 - 2000 1"]


def test_whatever_arrives_is_no_fault() -> None:
    draw = random.Random(4)
    payloads = [b"", b"{", b"[]", b"null", b"NaN", b"1e999", b'{"a": NaN}', b"\xff\xfe", b"[" * 500,
                b'{"a":' * 50 + b"1" + b"}" * 50, b"12,5 C", b"on",
                json.dumps({"x": ["a"] * 500}).encode()]  # fmt: skip
    for payload in [*payloads, *(draw.randbytes(draw.randrange(40)) for _ in range(2000))]:
        found = flattened("a/b", payload)
        assert len(found) <= 200
        assert all(abs(value) < 1e308 for value in found.values())
        for each in bound({path: [value] for path, value in found.items()}):
            number(f"{each.value(1.0):.3f}")


def test_words_with_units_are_numbers_and_what_moves_is_no_setpoint() -> None:
    assert flattened("", b'{"a": "212 \xc2\xb0F", "b": "21,5 \xc2\xb0C", "c": "40 %"}') == pytest.approx(
        {"a": 100.0, "b": 21.5, "c": 40.0}
    )
    moving = [60.0 + 0.3 * k for k in range(12)]
    found = {each.where: each.role for each in bound({"goal": moving, "setting": [60.0] * 12, "temp": [20.0] * 12})}
    assert found == {"goal": "extra", "setting": "setpoint", "temp": "reading"}


def test_a_sample_is_told_once_however_often_it_is_looked_for() -> None:
    class Still(Foreign):
        def samples(self) -> list[Told]:
            return [Told(7, ("0 60.000 60.000 0.00 0.00 0 0 0", "0 0 0 0 0"), ("60.000",), ("0.0",))]

    at = [0.0]
    wire = SpokenWire(Still("x"), 0.1, clock=lambda: at[0])
    wire.write(b"5 watch 1\n")
    said = b""
    for k in range(5):
        at[0] = float(k)
        said += wire.read(0.001)
    assert said.count(b"w 7 ") == 1
    wire.close()


def test_who_knows_better_is_followed_and_a_role_that_none_has_is_had_by_none() -> None:
    seen = {"temp": [61.5, 62.5], "target": [60.0, 60.0], "heater": [1.0, 0.0], "inner": [700.0, 701.0]}
    roles = {each.where: each.role for each in chosen_as(bound(seen), (("drive", ""), ("reading", "inner")), seen)}
    assert roles == {"temp": "extra", "target": "setpoint", "heater": "extra", "inner": "reading"}
    with pytest.raises(LineError, match="does not tell “gone”"):
        chosen_as(bound(seen), (("reading", "gone"),), seen)
