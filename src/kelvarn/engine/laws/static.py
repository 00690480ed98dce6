"""The drive of a law over a temperature that moves slowly: a line, a loop or steps; and its corners."""

from dataclasses import dataclass
from typing import NamedTuple

Path = tuple[str | int, ...]
Line = tuple[tuple[float, float], ...]
"""Corners of a line: temperature in degC and drive."""


class Corner(NamedTuple):
    """A corner that settings stand behind.

    Attributes:
        name: what it is, in words.
        degC, drive: where it is.
        temperature, level, back: the settings behind its temperature, its drive, and the edge at which it is left;
            None where there is none.
    """

    name: str
    degC: float
    drive: float
    temperature: Path | None
    level: Path | None = None
    back: Path | None = None


@dataclass(frozen=True)
class StaticCurve:
    """What a law gives at each temperature.

    Attributes:
        rising: the line while more and more drive is called for.
        falling: the line back; empty where it is the same.
        corners: what can be set.
        follows: the setpoint; else it stands where it is.
    """

    rising: Line
    falling: Line
    corners: tuple[Corner, ...]
    follows: bool = False
