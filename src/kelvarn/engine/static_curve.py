"""The drive of a law over a temperature that moves slowly: a line, a loop or steps; and its corners.

Of P, PI and PID only the distance acts (the memory and the speed term take time); PI and PID have no such curve.
"""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, NamedTuple

from kelvarn.model.candidate import Controller
from kelvarn.model.curve import Curve
from kelvarn.model.fixed import Fixed
from kelvarn.model.law import Way
from kelvarn.model.on_off import OnOff
from kelvarn.model.pid import Pid

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


def static_curve(
    law: Controller, setpoint_degC: float, way: Way, low_degC: float, high_degC: float
) -> StaticCurve | None:
    """The curve of a law between two temperatures; None for one that has no such curve.

    Args:
        law: what is drawn.
        setpoint_degC: around which it acts.
        way: which way the drives go.
        low_degC, high_degC: where the picture ends.
    """
    # From where least drive is called for to where most is.
    ends = (high_degC, low_degC) if way.sign > 0 else (low_degC, high_degC)
    of = _OF_LAW.get(type(law))
    return None if of is None else of(law, setpoint_degC, way, ends)


def _of_curve(law: Curve, _setpoint_degC: float, way: Way, ends: tuple[float, float]) -> StaticCurve:
    least, most = ends
    if law.shape == "ramp":
        off = law.start_degC + way.sign * law.back_off_K
        top = ((law.full_degC, 1.0), (most, 1.0))
        rising = ((least, 0.0), (law.start_degC, 0.0), (law.start_degC, law.floor), *top)
        falling = ((least, 0.0), (off, 0.0), (off, law.floor), (law.start_degC, law.floor), *top)
        corners = (
            Corner("the start", law.start_degC, law.floor, ("start_degC",), ("floor",), ("back_off_K",)),
            Corner("full", law.full_degC, 1.0, ("full_degC",)),
        )
        return StaticCurve(rising, falling, corners)
    rising_corners, falling_corners = [(least, 0.0)], [(least, 0.0)]
    before = 0.0
    for step in law.steps:
        off = step.from_degC + way.sign * step.back_off_K
        rising_corners += [(step.from_degC, before), (step.from_degC, step.drive)]
        falling_corners += [(off, before), (off, step.drive)]
        before = step.drive
    last = (most, before)
    steps = tuple(
        Corner(
            f"step {k + 1}", step.from_degC, step.drive, ("steps", k, "from_degC"), ("steps", k, "drive"),
            ("steps", k, "back_off_K"),
        )
        for k, step in enumerate(law.steps)
    )  # fmt: skip
    return StaticCurve((*rising_corners, last), (*falling_corners, last), steps)


def _of_on_off(law: OnOff, setpoint_degC: float, way: Way, ends: tuple[float, float]) -> StaticCurve:
    least, most = ends
    edges = law.edges(setpoint_degC, way)
    on = edges[0].degC
    off = setpoint_degC if law.once and law.notation != "cuts" else edges[1].degC
    start: Line = ((least, 0.0),)
    end = start
    if way.both:  # cooling mirrors heating, a dead band above it
        mirror = 2 * setpoint_degC + way.sign * law.dead_band_K
        start = ((least, -1.0), (mirror - off, -1.0), (mirror - off, 0.0))
        end = ((mirror - on, 0.0), (mirror - on, -1.0), (least, -1.0))
    found = [Corner("the edge at which it switches on", on, 1.0, edges[0].path)]
    if len(edges) > 1:
        found.append(Corner("the edge at which it switches off", off, 0.0, edges[1].path))
    rising = (*start, (on, 0.0), (on, 1.0), (most, 1.0))
    falling = ((most, 1.0), (off, 1.0), (off, 0.0), *end)
    return StaticCurve(rising, falling, tuple(found), law.notation != "cuts")


def _of_p(law: Pid, setpoint_degC: float, way: Way, ends: tuple[float, float]) -> StaticCurve | None:
    if law.terms != "P":
        return None
    least, most = ends
    ahead = (law.feed_per_K or 0.0) * way.sign * (setpoint_degC - law.feed_from_degC)
    rest = law.bias + ahead  # what it gives at the setpoint
    half, ratio = (law.dead_band / 2, law.cooling_ratio) if law.low < 0 else (0.0, 1.0)

    def where(total: float) -> float:
        return setpoint_degC - way.sign * (total - rest) / law.kp_per_K

    lowest = law.low / ratio - half if law.low < 0 else law.low
    highest = law.high + half
    between = ((where(-half), 0.0), (where(half), 0.0)) if half else ()
    full = where(highest)
    line = ((least, law.low), (where(lowest), law.low), *between, (full, law.high), (most, law.high))
    return StaticCurve(line, (), (Corner("where it gives all", full, law.high, ("kp_per_K",)),), follows=True)


def _of_fixed(law: Fixed, _setpoint_degC: float, _way: Way, ends: tuple[float, float]) -> StaticCurve:
    line = ((ends[0], law.drive), (ends[1], law.drive))
    return StaticCurve(line, (), ())


_OF_LAW: dict[type, Callable[[Any, float, Way, tuple[float, float]], StaticCurve | None]] = {
    Curve: _of_curve, OnOff: _of_on_off, Pid: _of_p, Fixed: _of_fixed,
}  # fmt: skip
