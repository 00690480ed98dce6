"""On/off with hysteresis.

Source: relay feedback with hysteresis as in Åström and Hägglund, Advanced PID Control, 2006, section 8; the timers are
those of devices: shortest on, restart delay (also after power-up), confirm delay, decision interval.
"""

from dataclasses import dataclass
from enum import IntEnum

from kelvarn.model import candidate
from kelvarn.units import Quantity, Scale, show

from ..compiled import part
from ..decision import Decision
from ..plant import NONE, TIME_EPS
from ..sample import Sample, Term


class Code(IntEnum):
    """What it did at a sample."""

    KEEPS_OFF = 1  # inside the band, was off
    KEEPS_ON = 2  # inside the band, was on
    SWITCHES_ON = 3  # reached the lower edge
    SWITCHES_OFF = 4  # reached the upper edge
    STAYS_ON = 5  # beyond the lower edge and on
    STAYS_OFF = 6  # beyond the upper edge and off
    SHORTEST_ON = 7  # would switch off, but shortest on has not passed
    RESTART_DELAY = 8  # would switch on, but restart delay has not passed
    CONFIRMING = 9  # edge passed, waiting for the confirm delay
    NOT_DECIDING = 10  # between two decisions
    DONE_ONCE = 11  # reached the setpoint once and stays off


@dataclass(slots=True)
class OnOff:
    """Settings."""

    below_K: float
    above_K: float
    shortest_on_s: float
    shortest_off_s: float
    confirm_s: float
    decide_every_s: float
    once: bool  # off at the setpoint, and stays off


@dataclass(slots=True)
class State:
    """At power-up: off, and the restart delay starts now."""

    on: bool = False
    since_s: float = 0.0  # since the last switching
    passed_s: float = NONE  # for how long an edge has been passed; NONE: it is not
    decided_s: float = NONE  # since the last decision; NONE: there was none
    done: bool = False
    wants: bool = False  # what it asked for at this sample


MODEL, SETTINGS, STATE, USUAL = candidate.OnOff, OnOff, State, candidate.OnOff()


def settings_of(model: candidate.OnOff) -> OnOff:
    """Settings of its model."""
    return OnOff(
        model.below_K, model.above_K, model.shortest_on_s, model.shortest_off_s, model.confirm_s, model.decide_every_s,
        model.once,
    )  # fmt: skip


@part
def ask(law: OnOff, state: State, r: float, y: float, out: Decision) -> None:
    """Read a sample; arguments as for `laws.ask`."""
    on = state.on
    off_edge = r if law.once else r + law.above_K
    too_low, too_high = y <= r - law.below_K, y >= off_edge
    want = True if too_low else (False if too_high else on)
    wants, left = on, 0.0
    if state.done:
        code = Code.DONE_ONCE
        wants = False
    elif state.decided_s >= 0.0 and state.decided_s + TIME_EPS < law.decide_every_s:
        code = Code.NOT_DECIDING
        left = law.decide_every_s - state.decided_s
    else:
        state.decided_s = 0.0
        if want == on:
            state.passed_s = NONE
            if on:
                code = Code.STAYS_ON if too_low or too_high else Code.KEEPS_ON
            else:
                code = Code.STAYS_OFF if too_low or too_high else Code.KEEPS_OFF
        else:
            if state.passed_s < 0.0:
                state.passed_s = 0.0
            shortest = law.shortest_on_s if on else law.shortest_off_s
            if state.passed_s + TIME_EPS < law.confirm_s:
                code = Code.CONFIRMING
                left = law.confirm_s - state.passed_s
            elif state.since_s + TIME_EPS < shortest:
                code = Code.SHORTEST_ON if on else Code.RESTART_DELAY
                left = shortest - state.since_s
            else:
                code = Code.SWITCHES_OFF if on else Code.SWITCHES_ON
                wants = want
                state.passed_s = NONE
                state.done = on and law.once
    state.wants = wants
    out.asked = out.proposed = 1.0 if wants else 0.0
    out.p = out.i = out.d = 0.0
    out.delay_left_s, out.law_code = left, code


@part
def took(law: OnOff, state: State, given: float, h: float) -> None:
    """Learn what was given: delays count from when it was really switched. Arguments as for `laws.took`."""
    on = given >= 0.5
    if on != state.on:
        state.on = on
        state.since_s = 0.0
    state.since_s += h
    if state.passed_s >= 0.0:
        state.passed_s += h
    if state.decided_s >= 0.0:
        state.decided_s += h


def terms(model: candidate.OnOff, at: Sample) -> list[Term]:
    """It has none."""
    del model, at
    return []


def why(model: candidate.OnOff, at: Sample, scale: Scale) -> str:
    """What it did at a sample, in words."""
    sign = at.direction
    y, r = _degrees(at.measured_degC, scale), at.setpoint_degC
    on_edge = _degrees(r - sign * model.below_K, scale)
    off_edge = _degrees(r + (0.0 if model.once else sign * model.above_K), scale)
    short, past = ("below", "above") if sign > 0 else ("above", "below")
    left = show(at.delay_left_s, Quantity.DURATION)
    match Code(at.code):
        case Code.KEEPS_OFF | Code.KEEPS_ON:
            low, high = (on_edge, off_edge) if sign > 0 else (off_edge, on_edge)
            return f"{y} is inside {low} … {high}: keeps {'on' if at.code == Code.KEEPS_ON else 'off'}"
        case Code.SWITCHES_ON:
            return f"{y} has reached {on_edge}: switches on"
        case Code.SWITCHES_OFF:
            return f"{y} has reached {off_edge}: switches off"
        case Code.STAYS_ON:
            return f"{y} is {short} {on_edge}: stays on"
        case Code.STAYS_OFF:
            return f"{y} is {past} {off_edge}: stays off"
        case Code.SHORTEST_ON:
            return f"shortest on, {left} left: stays on at {y}"
        case Code.RESTART_DELAY:
            return f"restart delay, {left} left: stays off at {y}"
        case Code.CONFIRMING:
            return f"{y} has passed an edge; counts if it stays so {left} longer"
        case Code.NOT_DECIDING:
            return f"decides again in {left}: stays {'on' if at.given > 0.5 else 'off'}"
        case Code.DONE_ONCE:
            return "reached the setpoint once: stays off until reset"


def _degrees(value: float, scale: Scale) -> str:
    return show(value, Quantity.TEMPERATURE, scale)
