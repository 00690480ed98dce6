"""On/off with hysteresis.

Source: relay feedback with hysteresis as in Åström and Hägglund, Advanced PID Control, 2006, section 8; the timers are
those of devices: shortest on, restart delay (also after power-up), confirm delay, decision interval.
"""

from dataclasses import dataclass
from enum import IntEnum

from kelvarn.model import on_off as model
from kelvarn.model.law import Way

from ..ages import NOT_BEGUN, aged, ms_of
from ..compiled import part
from ..decision import Decision
from .static import Corner, Line, StaticCurve


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
class OnOffRecord:
    """Settings."""

    follows: bool  # the setpoint; else its edges stand where they are
    below_K: float
    above_K: float
    share: float  # of the setpoint that its edges lie away besides
    on_degC: float  # of edges that stand; negated where the law is mirrored
    off_degC: float
    cools_too: bool
    dead_band_K: float  # from heating to cooling
    shortest_on_ms: int
    shortest_off_ms: int
    confirm_ms: int
    decide_every_ms: int
    once: bool  # off at the setpoint, and stays off


@dataclass(slots=True)
class State:
    """At power-up: off, and the restart delay starts now."""

    way: int = 0  # 1: on; −1: on and cooling
    since_ms: int = 0  # since the last switching
    passed_ms: int = NOT_BEGUN  # for how long an edge has been passed
    decided_ms: int = NOT_BEGUN  # since the last decision
    done: bool = False
    beyond: bool = False  # this reading, an edge


MODEL = model.OnOff


def settings_of(law: model.OnOff, way: Way) -> OnOffRecord:
    """Settings of its model."""
    below, above = {
        "edges": (law.below_K, law.above_K), "band": (law.band_K, law.band_K), "cuts": (0.0, 0.0), "share": (0.0, 0.0),
    }[law.notation]  # fmt: skip
    return OnOffRecord(
        follows=law.notation != "cuts",
        below_K=below,
        above_K=above,
        share=law.band_share if law.notation == "share" else 0.0,
        on_degC=way.sign * law.cut_in_degC,
        off_degC=way.sign * law.cut_out_degC,
        cools_too=way.both,
        dead_band_K=law.dead_band_K,
        shortest_on_ms=ms_of(law.shortest_on_s),
        shortest_off_ms=ms_of(law.shortest_off_s),
        confirm_ms=ms_of(law.confirm_s),
        decide_every_ms=ms_of(law.decide_every_s),
        once=law.once,
    )


@part
def _wanted(law: OnOffRecord, state: State, r: float, y: float, nudge_K: float) -> int:
    """What it would do at a sample were there no delays: 1 on, 0 off, −1 cool; and note whether it is beyond an edge.

    Who turns the dial of one with a cut-in and cut-out of its own moves both.
    """
    way = state.way
    if law.follows:
        away = law.share * abs(r)
        on_at, off_at = r - law.below_K - away, r + law.above_K + away
        if law.once:
            off_at = r
    else:
        on_at, off_at = law.on_degC + nudge_K, law.off_degC + nudge_K
    state.beyond = True
    if y <= on_at:
        return 1 if way >= 0 else 0
    if law.cools_too and y >= r + r - on_at + law.dead_band_K:
        return -1 if way <= 0 else 0
    if way >= 0 and y >= off_at:
        return 0
    if way < 0 and y <= r + r - off_at + law.dead_band_K:
        return 0
    state.beyond = False
    return way


@part
def ask(law: OnOffRecord, state: State, r: float, y: float, passed_ms: int, out: Decision) -> None:
    """Read a sample; arguments as for `laws.ask`."""
    way = state.way
    state.since_ms = aged(state.since_ms, passed_ms)
    state.passed_ms = aged(state.passed_ms, passed_ms)
    state.decided_ms = aged(state.decided_ms, passed_ms)
    want = _wanted(law, state, r, y, out.nudge_K)
    wants, left_ms = way, 0
    if state.done:
        code = Code.DONE_ONCE
        wants = 0
    elif 0 <= state.decided_ms < law.decide_every_ms:
        code = Code.NOT_DECIDING
        left_ms = law.decide_every_ms - state.decided_ms
    else:
        state.decided_ms = 0
        if want == way:
            state.passed_ms = NOT_BEGUN
            if way != 0:
                code = Code.STAYS_ON if state.beyond else Code.KEEPS_ON
            else:
                code = Code.STAYS_OFF if state.beyond else Code.KEEPS_OFF
        else:
            state.passed_ms = max(state.passed_ms, 0)
            shortest_ms = law.shortest_on_ms if way != 0 else law.shortest_off_ms
            if state.passed_ms < law.confirm_ms:
                code = Code.CONFIRMING
                left_ms = law.confirm_ms - state.passed_ms
            elif state.since_ms < shortest_ms:
                code = Code.SHORTEST_ON if way != 0 else Code.RESTART_DELAY
                left_ms = shortest_ms - state.since_ms
            else:
                code = Code.SWITCHES_OFF if way != 0 else Code.SWITCHES_ON
                wants = want
                state.passed_ms = NOT_BEGUN
                state.done = way > 0 and law.once
    out.asked = out.proposed = float(wants)
    out.p = out.i = out.d = 0.0
    out.delay_left_s, out.law_code = left_ms / 1000.0, code


@part
def took(state: State, given: float) -> None:
    """Learn what was given: delays count from when it was really switched. Arguments as for `laws.took`."""
    way = 1 if given >= 0.5 else (-1 if given <= -0.5 else 0)
    if way != state.way:
        state.way = way
        state.since_ms = 0


def static_curve(law: model.OnOff, setpoint_degC: float, way: Way, ends: tuple[float, float]) -> StaticCurve:
    """Its drive over the temperature, between where least and most of it is called for."""
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
