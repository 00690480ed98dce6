"""Points of a program: what can be read of it, and written, over any wire; declared once, here.

A value of a point has its unit for good and so many decimals; lines are made of them (`line.c`, `line.py`), and whoever
speaks with a device knows them by `points`.
"""

import math
from enum import IntEnum
from functools import lru_cache
from typing import NamedTuple

from kelvarn.model.guards import NoRise, Trip

from .adjusting import adjusting
from .carry import Carried
from .translate.c_names import identifier

_DIGITS = {"double": 9, "float": 6}
"""That numbers of a program have on a line: what it takes at most, and what it tells apart."""
_LONGEST_NAME = 20
_DECIMALS_DEGC, _DECIMALS_PERCENT = 3, 2
_UNITS = {"°C": "degC", "1/K": "1/K", "": "-"}
_HOTTEST, _COLDEST = 3000.0, -273.0


class Point(NamedTuple):
    """A point.

    Attributes:
        name: on a line; small letters, digits and _.
        unit: on a line; "-" where it has none.
        low, high, step: between which it lies, and by how much it is turned; step 0 where nobody turns it.
        decimals: of its value on a line.
        writes: whether somebody may set it.
        stored: whether it outlives a power cut.
    """

    name: str
    unit: str
    low: float
    high: float
    step: float
    decimals: int
    writes: bool = False
    stored: bool = False

    def line(self) -> str:
        """It as a line tells of it, without who has changed it last."""
        numbers = " ".join(plain_number(each, self.decimals) for each in (self.low, self.high, self.step))
        return f"{self.name} {self.unit} {numbers} {'rw' if self.writes else 'r'} {'stored' if self.stored else '-'}"


def plain_number(value: float, decimals: int) -> str:
    """A number as lines have it: neither comma nor exponent, no zeros at its end."""
    text = f"{value:.{decimals}f}"
    text = text.rstrip("0").rstrip(".") if "." in text else text
    return "0" if text == "-0" else text


class Points(NamedTuple):
    """All points of a program.

    Attributes:
        plain: what is read of a sample: setpoint, drive, codes.
        probes, outputs: of each probe its reading, of each drive its output.
        settings: those that stay adjustable, in their order.
        resets: names of guards that stay until reset, with their place in the rig.
    """

    plain: tuple[Point, ...]
    probes: tuple[Point, ...]
    outputs: tuple[Point, ...]
    settings: tuple[Point, ...]
    resets: tuple[tuple[str, int], ...]

    def all(self) -> tuple[Point, ...]:
        """All of them, in the order in which a device lists them."""
        return (*self.plain, *self.probes, *self.outputs, *self.settings)


PLAIN = (
    Point("setpoint", "degC", _COLDEST, _HOTTEST, 0, _DECIMALS_DEGC),
    Point("nudge", "K", -500, 500, 0, _DECIMALS_DEGC),
    Point("asked", "%", -1000, 1000, 0, _DECIMALS_PERCENT),
    Point("given", "%", -100, 100, 0, _DECIMALS_PERCENT),
    Point("law", "-", 0, 255, 0, 0),
    Point("guard", "-", 0, 65535, 0, 0),
    Point("alarm", "-", 0, 2147483647, 0, 0),
    Point("tripped", "-", 0, 2147483647, 0, 0),
    Point("ready", "-", 0, 1, 0, 0),
    Point("stopped", "-", 0, 1, 0, 0, stored=True),
    Point("mode", "-", 0, 3, 0, 0),
    Point("lease", "s", 0, 60, 0, 0),
    Point("heat", "s", 0, 86400, 0, 0),
    Point("late", "-", 0, 65535, 0, 0),
    Point("edits", "-", 0, 65535, 0, 0),
    Point("limits", "K", 0, 3000, 0, _DECIMALS_DEGC),
)
"""Points that every program has; `heat` is that of a test so far, in seconds at full drive."""
PROBE, OUTPUT = "probe_", "out_"
"""What names of points of probes, of outputs, begin with."""


class Mode(IntEnum):
    """Who decides, as the point `mode` has it; a line says it in small letters."""

    OWN, HAND, TEST, OBEYS = range(4)


@lru_cache(maxsize=8)
def points_of(carried: Carried) -> Points:
    """The points of a program."""
    taken = {point.name for point in PLAIN}
    rig = carried.project.rig
    probes = [
        Point(_named(f"{PROBE}{each.name}", taken), "degC", max(each.lowest_degC, _COLDEST), each.highest_degC, 0,
              _DECIMALS_DEGC) for each in rig.probes
    ]  # fmt: skip
    outputs = [Point(_named(f"{OUTPUT}{each.name}", taken), "%", 0, 100, 0, _DECIMALS_PERCENT) for each in rig.drives]
    digits = _DIGITS[carried.real]
    settings = [
        Point(_named(each.line.name, taken), _UNITS.get(each.line.unit, each.line.unit), each.lowest, each.highest,
              each.step, 0 if each.is_whole else decimals_of(each.highest, digits), writes=True, stored=True)
        for each in adjusting(carried).adjusted
    ]  # fmt: skip
    kept: set[str] = set()
    resets = tuple(
        (_named(guard.name, kept), place) for place, guard in enumerate(rig.guards) if isinstance(guard, Trip | NoRise)
    )
    return Points(PLAIN, tuple(probes), tuple(outputs), tuple(settings), resets)


def decimals_of(highest: float, digits: int) -> int:
    """Decimals with which numbers up to the highest have no more digits than so many."""
    whole = max(1, math.floor(math.log10(abs(highest))) + 1) if highest else 1
    return max(0, min(6, digits - whole))


def _named(text: str, taken: set[str]) -> str:
    """A name of small letters, digits and _ that nothing else has."""
    stem = identifier(text, set()).lower()[:_LONGEST_NAME]
    name, count = stem, 2
    while name in taken:
        name, count = f"{stem[: _LONGEST_NAME - 3]}_{count}", count + 1
    taken.add(name)
    return name
