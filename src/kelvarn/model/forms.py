"""The forms in which devices have P, PI and PID settings: read off a law, and typed back into it.

A form changes nothing but how settings are written; the law stays the same. Sources stand with `gains`.
"""

from collections.abc import Callable
from dataclasses import dataclass

from pydantic import ValidationError

from kelvarn.sentence import say

from .edit import with_fields
from .gains import Parallel, Series, from_parallel, from_series, proportional_band_K, to_parallel, to_series
from .pid import Pid

FULL_COUNT = 255
"""Output at full drive of a loop that counts."""


class FormError(ValueError):
    """There is no equivalent in a form, or none of it in the law. The message is one sentence."""


@dataclass(frozen=True)
class Form:
    """One way of writing P, PI and PID settings.

    Attributes:
        words: what it is called.
        names, units: of its up to three settings; `per_K` says how each goes with the temperature's unit: −1 per
            kelvin, 1 kelvins, 0 neither.
        read: its settings of a law whose reading comes every so many seconds, as many as its terms.
        write: the law that has such settings, made of one that has others.
    """

    words: str
    names: tuple[str, str, str]
    units: tuple[str, str, str]
    per_K: tuple[int, int, int]
    read: Callable[[Pid, float], tuple[float, ...]]
    write: Callable[[Pid, tuple[float, ...], float], Pid]


def _filter_s(law: Pid) -> float:
    return law.acting_td_s / law.filter_n


def _with_gains(law: Pid, kp_per_K: float, ti_s: float | None, td_s: float, filter_s: float | None = None) -> Pid:
    """The law with other gains; with the filter's lag as it was where one is given."""
    fields: dict[str, float] = {"kp_per_K": kp_per_K}
    if law.integrates:
        if ti_s is None:
            raise FormError(say("Without an integral gain it does not integrate; choose P for that."))
        fields["ti_s"] = ti_s
    if law.terms == "PID":
        fields["td_s"] = td_s
        if filter_s and td_s > 0:
            fields["filter_n"] = td_s / filter_s
    try:
        # To twelve figures: the last ones are those of the sums, and may lie beyond a range.
        return with_fields(law, **{name: float(f"{value:.12g}") for name, value in fields.items()})
    except ValidationError as error:
        named = ", ".join(f"{name} {value:.4g}" for name, value in fields.items())
        what = str(error.errors()[0]["msg"]).removeprefix("Value error, ")
        raise FormError(
            say("That is {named} of the standard form, which cannot be: {why}.", named=named, why=what)
        ) from error


def _count(law: Pid) -> int:
    return {"P": 1, "PI": 2, "PID": 3}[law.terms]


def _read_standard(law: Pid, h: float) -> tuple[float, ...]:
    del h
    return (law.kp_per_K, law.ti_s, law.td_s)[: _count(law)]


def _write_standard(law: Pid, values: tuple[float, ...], h: float) -> Pid:
    del h
    kp, ti, td = (*values, *_rest(law, values))
    return _with_gains(law, kp, ti, td)


def _rest(law: Pid, values: tuple[float, ...]) -> tuple[float, ...]:
    return (law.kp_per_K, law.ti_s, law.td_s)[len(values) :]


def _read_band(law: Pid, h: float) -> tuple[float, ...]:
    kp, *more = _read_standard(law, h)
    return proportional_band_K(kp), *more


def _write_band(law: Pid, values: tuple[float, ...], h: float) -> Pid:
    band, *more = values
    if band <= 0:
        raise FormError(say("A proportional band must be above 0."))
    return _write_standard(law, (1 / band, *more), h)


def _read_parallel(law: Pid, h: float) -> tuple[float, ...]:
    del h
    found = to_parallel(law.kp_per_K, law.ti_s if law.integrates else None, law.acting_td_s)
    return (found.kp_per_K, found.ki_per_Ks, found.kd_s_per_K)[: _count(law)]


def _write_parallel(law: Pid, values: tuple[float, ...], h: float) -> Pid:
    del h
    return _of_parallel(law, Parallel(*values, *(0.0,) * (3 - len(values))))


def _of_parallel(law: Pid, gains: Parallel, filter_s: float | None = None) -> Pid:
    """The law with gains of the parallel form; with the filter's lag as it was where one is given."""
    if gains.kp_per_K <= 0:
        raise FormError(say("Without a proportional gain there is no standard form; Kp must be above 0."))
    if gains.ki_per_Ks < 0 or gains.kd_s_per_K < 0:
        raise FormError(say("Gains are not below 0; a drive that cools is turned round by the rig."))
    return _with_gains(law, *from_parallel(gains), filter_s)


def _read_series(law: Pid, h: float) -> tuple[float, ...]:
    del h
    if not law.integrates:
        return (law.kp_per_K,)
    if law.acting_td_s and law.derivative_weight:
        raise FormError(
            say("There is no series form: its speed term does not see the setpoint (speed weight c above 0).")
        )
    try:
        found = to_series(law.kp_per_K, law.ti_s, law.acting_td_s, _filter_s(law))
    except ValueError as error:
        said = str(error)
        raise FormError(say("There is {none}.", none=said)) from error
    return (found.kp_per_K, found.ti_s, found.td_s)[: _count(law)]


def _write_series(law: Pid, values: tuple[float, ...], h: float) -> Pid:
    if not law.integrates:
        return _write_standard(law, values, h)
    kp, ti, td = (*values, *(0.0,) * (3 - len(values)))
    if ti <= 0:
        raise FormError(say("The integral time must be above 0."))
    lag = _filter_s(law)
    standard = from_series(Series(kp, ti, td), lag)
    if law.terms == "PID" and standard[2] <= 0:
        raise FormError(
            say("With this filter there is no standard form of it: its derivative time would not be above 0.")
        )
    return _with_gains(law, *standard, lag)


def _read_samples(law: Pid, h: float) -> tuple[float, ...]:
    kp, *more = _read_parallel(law, h)
    found = [FULL_COUNT * kp]
    if more:
        found.append(FULL_COUNT * more[0] * h)
    if len(more) > 1:
        found.append(FULL_COUNT * more[1] / (_filter_s(law) + h))
    return tuple(found)


def _write_samples(law: Pid, values: tuple[float, ...], h: float) -> Pid:
    kp, ki, kd = (*values, *(0.0,) * (3 - len(values)))
    lag = _filter_s(law)
    gains = Parallel(kp / FULL_COUNT, ki / FULL_COUNT / h, kd * (lag + h) / FULL_COUNT)
    return _of_parallel(law, gains, lag)


FORMS: dict[str, Form] = {
    "standard": Form(
        "standard: Kp, Ti, Td", ("Gain Kp", "Ti", "Td"), ("1/{}", "s", "s"), (-1, 0, 0), _read_standard, _write_standard
    ),
    "band": Form(
        "proportional band, Ti, Td", ("Band", "Ti", "Td"), ("{}", "s", "s"), (1, 0, 0), _read_band, _write_band
    ),
    "parallel": Form(
        "parallel: Kp, Ki, Kd", ("Kp", "Ki", "Kd"), ("1/{}", "1/({} s)", "s/{}"), (-1, -1, -1), _read_parallel,
        _write_parallel,
    ),
    "series": Form(
        "series: Kp, Ti, Td", ("Kp'", "Ti'", "Td'"), ("1/{}", "s", "s"), (-1, 0, 0), _read_series, _write_series
    ),
    "samples": Form(
        "per sample, output 0…255", ("Kp", "Ki", "Kd"), ("/{}", "/{}", "/{}"), (-1, -1, -1), _read_samples,
        _write_samples,
    ),
}  # fmt: skip
"""By the words that say which one is looked at."""
