"""Quantities: what people type and read, and the base units that code and files use.

Base units: degC for temperatures, K for differences, s, W, J/K, W/K, J, drive 0..1, gain 1/K. A temperature
*difference* converts by 9/5 only, never with the 32. `parse` turns text into a base value or raises
`UnitError` with one sentence; `show` turns a base value into text for people.
"""

import math
import re
from enum import StrEnum
from functools import lru_cache

from .scales import SCALES as SCALES
from .scales import Scale as Scale
from .sentence import Figures, Sentence, figures, say, say_counted


class UnitError(ValueError):
    """The text is no such quantity. The message is one sentence for the user."""


class Quantity(StrEnum):
    """What a number is; the value is its name in sentences."""

    TEMPERATURE = "temperature"
    DIFFERENCE = "temperature difference"
    DURATION = "duration"
    POWER = "power"
    CAPACITY = "heat capacity"
    CONDUCTANCE = "conductance"
    ENERGY = "energy"
    DRIVE = "drive"
    DRIVE_RATE = "change of the drive"
    GAIN = "gain"
    RAMP = "ramp rate"
    PER_HOUR = "count per hour"
    YEARS = "years"
    ERROR_AREA = "error area"
    AREA = "area"
    VOLTAGE = "voltage"
    RESISTANCE = "resistance"
    LENGTH = "length"
    MASS = "mass"
    VOLUME = "volume"
    FLOW = "flow"
    CURRENT = "current"
    NUMBER = "number"


KELVIN_AT_0_DEGC = 273.15
_FAHRENHEIT_STEP = 5 / 9  # one degree Fahrenheit in K

# Unit text -> factor to the base unit. The first unit is what a bare number means unless the field says else.
_UNITS: dict[Quantity, dict[str, float]] = {
    Quantity.DIFFERENCE: {"K": 1.0, "°C": 1.0, "C": 1.0, "°F": _FAHRENHEIT_STEP, "F": _FAHRENHEIT_STEP},
    Quantity.POWER: {"W": 1.0, "kW": 1e3, "mW": 1e-3},
    Quantity.CAPACITY: {"J/K": 1.0, "kJ/K": 1e3, "MJ/K": 1e6},
    Quantity.CONDUCTANCE: {"W/K": 1.0, "mW/K": 1e-3, "kW/K": 1e3},
    Quantity.ENERGY: {"J": 1.0, "kJ": 1e3, "Wh": 3.6e3, "kWh": 3.6e6},
    Quantity.DRIVE: {"%": 0.01, "": 1.0},
    Quantity.DRIVE_RATE: {
        "% per s": 0.01,
        "%/s": 0.01,
        "% per min": 0.01 / 60,
        "%/min": 0.01 / 60,
        "1/s": 1.0,
    },
    Quantity.GAIN: {
        "% per K": 0.01,
        "%/K": 0.01,
        "% per °C": 0.01,
        "per K": 1.0,
        "1/K": 1.0,
        "% per °F": 0.01 / _FAHRENHEIT_STEP,
        "%/°F": 0.01 / _FAHRENHEIT_STEP,
    },
    Quantity.RAMP: {
        "K/min": 1 / 60,
        "K/s": 1.0,
        "K/h": 1 / 3600,
        "°C/min": 1 / 60,
        "°F/min": _FAHRENHEIT_STEP / 60,
    },
    Quantity.PER_HOUR: {"/h": 1.0, "per h": 1.0},
    Quantity.ERROR_AREA: {"K·s": 1.0},
    Quantity.AREA: {"m²": 1.0, "m2": 1.0, "cm²": 1e-4, "cm2": 1e-4, "mm²": 1e-6, "mm2": 1e-6},
    Quantity.VOLTAGE: {"V": 1.0, "mV": 1e-3, "kV": 1e3},
    Quantity.RESISTANCE: {"Ω": 1.0, "ohm": 1.0, "mΩ": 1e-3, "kΩ": 1e3, "k": 1e3},
    Quantity.LENGTH: {"m": 1.0, "cm": 1e-2, "mm": 1e-3},
    Quantity.MASS: {"kg": 1.0, "g": 1e-3},
    Quantity.VOLUME: {"m³": 1.0, "m3": 1.0, "L": 1e-3, "l": 1e-3, "mL": 1e-6, "ml": 1e-6},
    Quantity.CURRENT: {"A": 1.0, "mA": 1e-3},
    Quantity.FLOW: {"m³/h": 1 / 3600, "m3/h": 1 / 3600, "m³/s": 1.0, "L/min": 1e-3 / 60},
    Quantity.NUMBER: {"": 1.0},
    Quantity.YEARS: {"years": 1.0, "year": 1.0, "a": 1.0},
}
# How many base units one unit of a rig's own scale is, by what it is used for.
_OWN_FACTORS = {Quantity.TEMPERATURE: 1.0, Quantity.DIFFERENCE: 1.0, Quantity.GAIN: 0.01, Quantity.RAMP: 1 / 60}

# What values below one usual unit are shown in.
_SMALL_UNITS = {
    Quantity.LENGTH: "mm", Quantity.MASS: "g", Quantity.VOLUME: "L", Quantity.AREA: "cm²", Quantity.RESISTANCE: "mΩ",
}  # fmt: skip
_DURATIONS = {"d": 86400.0, "h": 3600.0, "min": 60.0, "m": 60.0, "s": 1.0, "ms": 1e-3}
_DURATION_BELOW = {"d": "h", "h": "min", "min": "s", "m": "s", "s": "ms"}

_NUMBER = r"[+-]?(?:\d+(?:[.,]\d*)?|[.,]\d+)(?:[eE][+-]?\d+)?"
_TOLD = re.compile(r"([-−]?\d+(?:[.,]\d+)?) (°C|K)\b")  # with the decimal mark of any language
_WHOLE = re.compile(rf"({_NUMBER})\s*(.*)", re.DOTALL)


def base_unit(quantity: Quantity) -> str:
    """The unit of files and code, as written in schema and errors."""
    fixed = {
        Quantity.TEMPERATURE: "°C",
        Quantity.DURATION: "s",
        Quantity.DRIVE: "",
        Quantity.DRIVE_RATE: "1/s",
        Quantity.GAIN: "1/K",
        Quantity.RAMP: "K/s",
        Quantity.FLOW: "m³/s",
    }
    return fixed[quantity] if quantity in fixed else next(iter(_UNITS[quantity]))


def parse(text: str, quantity: Quantity, scale: Scale = Scale.CELSIUS, bare: str | None = None) -> float:
    """Text to a value in the base unit.

    Args:
        text: what was typed, with or without a unit; a decimal comma is understood.
        quantity: what it is.
        scale: what a temperature or difference without a unit is in.
        bare: the unit of a number without one; None means the quantity's usual unit.

    Raises:
        UnitError: one sentence that says what is wrong.
    """
    text = text.strip().replace("−", "-").replace("\u00a0", " ")
    if not text:
        raise UnitError(say("Type a number: {quantity}.", quantity=say(quantity.value)))
    if quantity is Quantity.DURATION:
        return _parse_duration(text, bare or "s")
    found = _WHOLE.fullmatch(text)
    if not found:
        raise UnitError(say("“{text}” does not start with a number.", text=_short(text)))
    number, unit = _float(found[1]), found[2].strip()
    if scale.own and quantity in _OWN_FACTORS:
        own = usual_unit(quantity, scale)
        if unit not in ("", own, scale.value):
            raise UnitError(say("“{unit}” is not the unit of this rig; use {own}.", unit=_short(unit), own=own))
        return number * _OWN_FACTORS[quantity]
    if quantity is Quantity.TEMPERATURE:
        return _temperature(number, unit or scale.value)
    if quantity is Quantity.CONDUCTANCE and unit == "K/W":
        if number == 0:
            raise UnitError(say("0 K/W would be an endless conductance."))
        return 1 / number
    if not unit:
        unit = bare if bare is not None else usual_unit(quantity, scale)
    units = _UNITS[quantity]
    if unit not in units:
        raise UnitError(_not_a_unit(unit, quantity, ", ".join(name for name in units if name) or say("no unit")))
    return number * units[unit]


def retold(sentence: str, scale: Scale) -> str:
    """A sentence that speaks of °C and K, such as those of the model, in another scale."""

    def told(found: re.Match[str]) -> str:
        quantity = Quantity.TEMPERATURE if found[2] == "°C" else Quantity.DIFFERENCE
        number = to_shown(float(found[1].replace("−", "-").replace(",", ".")), quantity, scale)
        text = f"{round(number, 2):.7g}"
        return f"{text.replace('.', ',') if ',' in found[1] else text} {usual_unit(quantity, scale)}"

    return sentence if scale is Scale.CELSIUS else _TOLD.sub(told, sentence)


def shortened(text: str, most: int) -> str:
    """A text of at most so many characters, ended in … where it was longer."""
    return text if len(text) <= most else f"{text[: most - 1].rstrip()}…"


def _short(text: str) -> str:
    """What was typed, short enough for a sentence."""
    return shortened(text, 40)


def _not_a_unit(unit: str, quantity: Quantity, known: str) -> Sentence:
    return say("“{unit}” is not a unit of {quantity}; use {known}.", unit=_short(unit),
               quantity=say(quantity.value), known=known)  # fmt: skip


def _not_a_duration(text: str) -> Sentence:
    return say("“{text}” is not a duration; write it like {seconds}, {minutes} or 2h30.", text=_short(text),
               seconds=figures("90", "s"), minutes=figures("2.5", "min"))  # fmt: skip


def _float(text: str) -> float:
    if re.fullmatch(r"[+-]?[1-9]\d{0,2},\d{3}", text):
        plain = text.replace(",", "")
        raise UnitError(
            say("“{typed}” can be read two ways; write {one} or {other}.", typed=text, one=plain,
                other=text.replace(",", "."))
        )  # fmt: skip
    value = float(text.replace(",", "."))
    if not math.isfinite(value):
        raise UnitError(say("“{text}” is too large.", text=_short(text)))
    return value


def _temperature(number: float, unit: str) -> float:
    unit = unit.replace("deg", "").replace("°", "").strip()
    if unit == "C":
        return number
    if unit == "F":
        return (number - 32) * _FAHRENHEIT_STEP
    if unit == "K":
        return number - KELVIN_AT_0_DEGC
    raise UnitError(_not_a_unit(unit, Quantity.TEMPERATURE, "°C, °F, K"))


def _parse_duration(text: str, bare: str) -> float:
    clock = re.fullmatch(r"(\d+):([0-5]?\d)(?::([0-5]?\d))?", text)
    if clock:
        return int(clock[1]) * 3600.0 + int(clock[2]) * 60.0 + int(clock[3] or 0)
    total, rest, unit = 0.0, text, ""
    while rest:
        found = re.match(rf"({_NUMBER})\s*([a-zA-Z]*)\s*", rest)
        if not found:
            raise UnitError(_not_a_duration(rest))
        number, named = _float(found[1]), found[2]
        if not named:  # "2h30": the number after a unit counts in the next smaller one
            if unit and unit not in _DURATION_BELOW:
                raise UnitError(_not_a_duration(text))
            named = _DURATION_BELOW[unit] if unit else bare
        if named not in _DURATIONS:
            raise UnitError(_not_a_unit(named, Quantity.DURATION, "s, min, h, d"))
        total += number * _DURATIONS[named]
        unit, rest = named, rest[found.end() :]
    return total


def usual_unit(quantity: Quantity, scale: Scale = Scale.CELSIUS) -> str:
    """The unit in which a quantity is shown to the user of a scale."""
    fahrenheit = scale is Scale.FAHRENHEIT
    if scale.own and quantity in _OWN_FACTORS:
        return {Quantity.GAIN: f"% per {scale.value}", Quantity.RAMP: f"{scale.value}/min"}.get(quantity, scale.value)
    match quantity:
        case Quantity.TEMPERATURE:
            return scale.value
        case Quantity.DIFFERENCE:
            return "°F" if fahrenheit else "K"
        case Quantity.GAIN:
            return "% per °F" if fahrenheit else "% per K"
        case Quantity.RAMP:
            return "°F/min" if fahrenheit else "K/min"
        case Quantity.ENERGY:
            return "Wh"
        case Quantity.DURATION:
            return "s"
        case _:
            return next(iter(_UNITS[quantity]))


def to_shown(value: float, quantity: Quantity, scale: Scale = Scale.CELSIUS) -> float:
    """A base value as the number in `usual_unit`, for axes and rulers."""
    if scale.own and quantity in _OWN_FACTORS:
        return value / _OWN_FACTORS[quantity]
    if quantity is Quantity.TEMPERATURE:
        if scale is Scale.FAHRENHEIT:
            return value / _FAHRENHEIT_STEP + 32
        return value + KELVIN_AT_0_DEGC if scale is Scale.KELVIN else value
    if quantity is Quantity.DURATION:
        return value
    return value / _UNITS[quantity][usual_unit(quantity, scale)]


def from_shown(value: float, quantity: Quantity, scale: Scale = Scale.CELSIUS) -> float:
    """The inverse of `to_shown`."""
    if scale.own and quantity in _OWN_FACTORS:
        return value * _OWN_FACTORS[quantity]
    if quantity is Quantity.TEMPERATURE:
        return _temperature(value, scale.value)
    if quantity is Quantity.DURATION:
        return value
    return value * _UNITS[quantity][usual_unit(quantity, scale)]


def split(value: float, quantity: Quantity, scale: Scale = Scale.CELSIUS, *, exact: bool = False) -> tuple[str, str]:
    """A base value as (number text, unit text).

    With `exact` the number keeps what was typed (up to seven figures); else it is rounded for reading.
    """
    if quantity is Quantity.DURATION:
        return _split_duration(value, exact)
    unit = usual_unit(quantity, scale)
    number = to_shown(value, quantity, scale)
    if quantity in (Quantity.CAPACITY, Quantity.POWER) and abs(number) >= 2000:
        number, unit = number / 1000, "k" + unit
    elif quantity is Quantity.RESISTANCE and abs(number) >= 2000:
        number, unit = number / 1000, "kΩ"
    elif quantity is Quantity.ENERGY and abs(number) >= 10_000:
        number, unit = number / 1000, "kWh"
    elif quantity in _SMALL_UNITS and abs(number) < 1:
        unit = _SMALL_UNITS[quantity]
        number = value / _UNITS[quantity][unit]
    if exact:
        text = f"{number:.7g}"
        in_kJ = f"{value / 1000:.7g}"
        if quantity is Quantity.ENERGY and len(in_kJ) < len(text):  # typed as such: 600 kJ, not 166.6667 Wh
            text, unit = in_kJ, "kJ"
    elif quantity is Quantity.TEMPERATURE:
        text = f"{number:.1f}"
    elif quantity is Quantity.DRIVE:
        text = f"{number:.0f}" if abs(number) >= 9.95 or number == 0 else f"{number:.1f}"
    elif quantity is Quantity.DIFFERENCE:
        text = f"{number:.1f}" if abs(number) >= 0.95 else f"{number:.2f}"
    else:
        text = three_figures(number)
    if float(text) == 0:
        text = text.replace("-", "")
    return text.replace("-", "−"), unit


_MOST_TYPED = 6  # characters of a number that somebody may have typed


def _split_duration(value: float, exact: bool) -> tuple[str, str]:
    size = abs(value)
    if size <= 120:
        number, unit = value, "s"
    elif size < 6000:
        number, unit = value / 60, "min"
    elif exact and value % 60:
        number, unit = value / 3600, "h"
    else:
        minutes = round(value / 60)
        hours, minutes = divmod(minutes, 60)
        return (f"{hours} h {minutes:02d}", "min") if minutes else (f"{hours}", "h")
    text = f"{number:.7g}" if exact else three_figures(number)
    if exact and len(text) > _MOST_TYPED and len(in_s := f"{value:.7g}") < len(text):
        text, unit = in_s, "s"  # 844 s, not 14.06667 min
    return text.replace("-", "−"), unit


def three_figures(number: float) -> Figures:
    """A number to three significant figures without needless zeros, never in exponent form below 1e6."""
    if number == 0:
        return figures("0", "")
    decimals = max(0, 2 - math.floor(math.log10(abs(number))))
    if decimals > 9 or abs(number) >= 1e6:
        return figures(f"{number:.3g}", "")
    text = f"{number:.{decimals}f}"
    return figures(text.rstrip("0").rstrip(".") if "." in text else text, "")


@lru_cache(maxsize=4096)
def show(
    value: float, quantity: Quantity, scale: Scale = Scale.CELSIUS, *, exact: bool = False, sign: bool = False
) -> Figures:
    """A base value as text with its unit, such as "59.4 °C" or "11.7 min". Kept: a frame asks for dozens.

    `exact` is as it is typed, without rounding; `sign` also where it is above 0.
    """
    number, unit = split(value, quantity, scale, exact=exact)
    if sign and value > 0:
        number = "+" + number
    return figures(number, unit)


_ROUND = (1.0, 1.5, 2.0, 3.0, 4.0, 5.0, 6.0, 8.0, 10.0)


def round_up_s(seconds: float) -> float:
    """The next time that people would say: a round number of seconds, minutes or hours."""
    unit = 1.0 if seconds < 60 else 60.0 if seconds < 3600 else 3600.0
    ten = 10.0 ** math.floor(math.log10(max(seconds / unit, 1e-3)))
    return next(unit * ten * step for step in _ROUND if unit * ten * step >= 0.999 * seconds)


def counted(count: int, one: str, many: str = "") -> str:
    """How many of what: "1 body", "2 candidates"."""
    return say_counted(f"{{count}} {one}", f"{{count}} {many or one + 's'}", count)


def minutes(time_s: float) -> Figures:
    """A duration for a label or a sentence: whole minutes from two minutes on."""
    return figures(f"{time_s / 60:.0f}", "min") if 120 <= time_s < 6000 else show(time_s, Quantity.DURATION)
