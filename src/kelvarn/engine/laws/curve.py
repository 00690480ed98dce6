"""A curve of drive over temperature: steps with a hysteresis each, or a ramp from a floor.

The temperature alone decides; the setpoint does not. Written for heating like the other laws, so that more drive
belongs to lower temperatures; for a cooling drive all temperatures come negated.
"""

import math
from dataclasses import dataclass
from enum import IntEnum

from kelvarn.model import curve as model
from kelvarn.model.law import Way

from ..compiled import part
from ..decision import Decision
from ..records import Table
from .static import Corner, StaticCurve


class Code(IntEnum):
    """What it did at a sample."""

    OFF = 60  # before the first step, or before the start
    STEP_TAKEN = 61
    STEP_LEFT = 62
    ON_STEP = 63
    STEP_KEPT = 64  # back from its temperature, but within its hysteresis
    STARTS = 65  # of a ramp
    STOPS = 66
    AT_FLOOR = 67  # back from the start, but within the hysteresis
    ON_RAMP = 68
    FULL = 69
    SLEW_UP = 70  # the curve asks for more, sooner than it may change
    SLEW_DOWN = 71


@dataclass(slots=True)
class Step:
    """A step; its temperature is negated where the law is mirrored."""

    from_degC: float
    drive: float
    back_off_K: float


@dataclass(slots=True)
class CurveRecord:
    """Settings; temperatures as for a step."""

    by_steps: bool
    start_degC: float
    full_degC: float
    floor: float
    back_off_K: float
    rate_per_s: float  # 0: none
    levels: float  # 0: any


@dataclass(slots=True)
class State:
    """Before the first sample: off."""

    started: bool = False
    place: int = 0  # how many steps are taken; of a ramp, 1 while it runs
    last_drive: float = 0.0


MODEL = model.Curve


def settings_of(law: model.Curve, way: Way) -> CurveRecord:
    """Settings of its model."""
    return CurveRecord(
        by_steps=law.shape == "steps",
        start_degC=way.sign * law.start_degC,
        full_degC=way.sign * law.full_degC,
        floor=law.floor,
        back_off_K=law.back_off_K,
        rate_per_s=law.rate_per_s or 0.0,
        levels=float(law.levels or 0),
    )


def steps_of(law: model.Curve, way: Way) -> list[Step]:
    """Its steps, the first one first."""
    return [Step(way.sign * step.from_degC, step.drive, step.back_off_K) for step in law.steps]


@part
def _by_steps(steps: Table[Step], state: State, y: float, out: Decision) -> float:
    """Drive of the step that the temperature is on."""
    before = state.place
    while state.place < len(steps) and y <= steps[state.place].from_degC:
        state.place += 1
    if state.place == before:
        while state.place > 0 and y > steps[state.place - 1].from_degC + steps[state.place - 1].back_off_K:
            state.place -= 1
    if state.place > before:
        out.law_code = Code.STEP_TAKEN
    elif state.place < before:
        out.law_code = Code.STEP_LEFT
    elif state.place == 0:
        out.law_code = Code.OFF
    else:
        out.law_code = Code.ON_STEP if y <= steps[state.place - 1].from_degC else Code.STEP_KEPT
    return steps[state.place - 1].drive if state.place > 0 else 0.0


@part
def _by_ramp(law: CurveRecord, state: State, y: float, out: Decision) -> float:
    """Drive of the ramp where the temperature is."""
    if state.place == 0 and y <= law.start_degC:
        state.place = 1
        out.law_code = Code.STARTS
    elif state.place == 1 and y > law.start_degC + law.back_off_K:
        state.place = 0
        out.law_code = Code.STOPS
    elif state.place == 0:
        out.law_code = Code.OFF
    elif y > law.start_degC:
        out.law_code = Code.AT_FLOOR
    else:
        out.law_code = Code.FULL if y <= law.full_degC else Code.ON_RAMP
    if state.place == 0:
        return 0.0
    way = min(max((law.start_degC - y) / (law.start_degC - law.full_degC), 0.0), 1.0)
    return law.floor + (1.0 - law.floor) * way


@part
def ask(law: CurveRecord, steps: Table[Step], state: State, y: float, h: float, out: Decision) -> None:
    """Read a sample; arguments as for `laws.ask`."""
    drive = _by_steps(steps, state, y, out) if law.by_steps else _by_ramp(law, state, y, out)
    if law.levels > 0.0:
        drive = math.floor(drive * law.levels + 0.5) / law.levels  # halves go up, as devices round
    proposed = drive
    if law.rate_per_s > 0.0 and state.started:
        most = law.rate_per_s * h
        if drive > state.last_drive + most:
            proposed = state.last_drive + most
            out.law_code = Code.SLEW_UP
        elif drive < state.last_drive - most:
            proposed = state.last_drive - most
            out.law_code = Code.SLEW_DOWN
    state.started = True
    out.asked, out.proposed = drive, proposed
    out.p = out.i = out.d = out.delay_left_s = 0.0


@part
def took(state: State, given: float) -> None:
    """Learn what was given: the slew goes on from there. Arguments as for `laws.took`."""
    state.last_drive = given


def static_curve(law: model.Curve, _setpoint_degC: float, way: Way, ends: tuple[float, float]) -> StaticCurve:
    """Its drive over the temperature, between where least and most of it is called for."""
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
