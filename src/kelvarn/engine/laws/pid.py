"""P, PI and PID with two degrees of freedom.

Source: Åström and Hägglund, Advanced PID Control, 2006, ch. 3 (setpoint weights, filtered derivative, tracking
anti-windup) and ch. 13 (backward difference for the derivative, forward difference for the integral).
"""

from dataclasses import dataclass
from enum import IntEnum

from kelvarn.model import pid as model
from kelvarn.model.law import Way

from ..compiled import part
from ..decision import Decision
from ..guard_records import RULERS, Ruler
from ..inputs import Said
from .static import Corner, StaticCurve


class Code(IntEnum):
    """What it did at a sample."""

    FREE = 20  # drive as asked
    AT_HIGH = 21  # more asked than given, memory goes on
    AT_LOW = 22  # less asked than given, memory goes on
    HELD_HIGH = 23  # more asked than given, memory frozen
    HELD_LOW = 24  # less asked than given, memory frozen
    PULLED_HIGH = 25  # more asked than given, memory pulled back
    PULLED_LOW = 26  # less asked than given, memory pulled back
    RATE_UP = 27  # asked rise is faster than the rate limit
    RATE_DOWN = 28  # asked fall is faster than the rate limit


FIRST_AT_LIMIT, LAST_AT_LIMIT = Code.AT_HIGH, Code.PULLED_LOW
"""Codes of a drive held at one of its limits; they stand in one block, each low one after its high one."""


class Windup(IntEnum):
    """What the memory does while less or more is given than asked."""

    NONE = 0
    HOLD = 1
    BACK = 2


@dataclass(slots=True)
class PidRecord:
    """Settings."""

    kp_per_K: float
    ki_per_Ks: float  # Kp/Ti
    kd_s_per_K: float  # Kp·Td
    filter_s: float  # Td/N
    weight: float  # setpoint weight b
    speed_weight: float  # c
    bias: float
    low: float
    high: float
    rate_per_s: float  # 0: none
    windup: int  # Windup
    tracking_s: float
    integrates: bool
    zone_K: float  # further away the memory holds still; 0: it acts everywhere
    memory_limited: bool
    memory_low: float
    memory_high: float
    setpoint_rate_K_per_s: float  # 0: at once
    feed_per_K: float
    feed_from_degC: float  # negated where the law is mirrored
    splits: bool  # what the terms add up to is not the drive itself
    dead_band: float
    cooling_ratio: float


@dataclass(slots=True)
class State:
    """Before the first sample."""

    started: bool = False
    memory: float = 0.0
    speed: float = 0.0
    last_input: float = 0.0  # of the speed term
    last_drive: float = 0.0
    error_K: float = 0.0  # at this sample
    r: float = 0.0  # setpoint that it follows, on its way to the one that is set
    lost: float = 0.0  # of what was added to the memory, what was too small for its digits


MODEL = model.Pid
_LAW = int(Ruler.LAW)
_PERMIT = int(Ruler.PERMIT)
_WINDUP = {"none": Windup.NONE, "hold": Windup.HOLD, "back_calculation": Windup.BACK}


def settings_of(law: model.Pid, way: Way) -> PidRecord:
    """Settings of its model."""
    no_limit = 1e9
    return PidRecord(
        kp_per_K=law.kp_per_K,
        ki_per_Ks=law.kp_per_K / law.ti_s if law.integrates else 0.0,
        kd_s_per_K=law.kp_per_K * law.acting_td_s,
        filter_s=law.acting_td_s / law.filter_n,
        weight=law.acting_weight,
        speed_weight=law.derivative_weight,
        bias=law.bias,
        low=law.low,
        high=law.high,
        rate_per_s=law.rate_per_s or 0.0,
        windup=_WINDUP[law.anti_windup],
        tracking_s=law.acting_tracking_s,
        integrates=law.integrates,
        zone_K=law.zone_K or 0.0,
        memory_limited=law.memory_low is not None or law.memory_high is not None,
        memory_low=-no_limit if law.memory_low is None else law.memory_low,
        memory_high=no_limit if law.memory_high is None else law.memory_high,
        setpoint_rate_K_per_s=law.setpoint_rate_K_per_s or 0.0,
        feed_per_K=law.feed_per_K or 0.0,
        feed_from_degC=way.sign * law.feed_from_degC,
        splits=law.low < 0 and (law.dead_band > 0.0 or law.cooling_ratio != 1.0),
        dead_band=law.dead_band if law.low < 0 else 0.0,
        cooling_ratio=law.cooling_ratio if law.low < 0 else 1.0,
    )


@part
def _start(law: PidRecord, state: State, r: float, y: float) -> None:
    """State at the start, with the drive at its bias.

    The memory starts at Kp (1 − b) y, which makes the first output what a loop at rest at y would give. Without
    it the start would depend on where the temperature scale has its zero.
    """
    state.started = True
    _set_memory(state, law.kp_per_K * (1.0 - law.weight) * y if law.integrates else 0.0)
    state.r = y if law.setpoint_rate_K_per_s > 0.0 else r
    state.last_input = law.speed_weight * state.r - y
    state.last_drive = min(max(law.bias, law.low), law.high)


@part
def _set_memory(state: State, memory: float) -> None:
    """Let the memory be something."""
    state.memory, state.lost = memory, 0.0


@part
def _add_to_memory(state: State, more: float) -> None:
    """Add to the memory, also what is smaller than its last digit: a memory that stands still never arrives.

    Source: W. Kahan, Further remarks on reducing truncation errors, 1965 (compensated sum).
    """
    wanted = more - state.lost
    total = state.memory + wanted
    state.lost = (total - state.memory) - wanted
    state.memory = total


@part
def _split(law: PidRecord, v: float) -> float:
    """The drive of what the terms add up to: nothing in the dead band, and by the cooling gain below it."""
    half = 0.5 * law.dead_band
    if v > half:
        return v - half
    return law.cooling_ratio * (v + half) if v < -half else 0.0


@part
def _slope(law: PidRecord, asked: float) -> float:
    """By how much the drive moves for what the terms add up to."""
    return law.cooling_ratio if asked < 0.0 else 1.0


@part
def _ahead(law: PidRecord, state: State) -> float:
    """What is given besides the terms: the bias, and what the setpoint alone asks for."""
    if law.feed_per_K == 0.0:
        return law.bias
    return law.bias + law.feed_per_K * (state.r - law.feed_from_degC)


@part
def ask(law: PidRecord, state: State, r: float, y: float, h: float, out: Decision) -> None:
    """Read a sample; arguments as for `laws.ask`."""
    if not state.started:
        _start(law, state, r, y)
    elif law.setpoint_rate_K_per_s > 0.0:
        most = law.setpoint_rate_K_per_s * h
        state.r += min(max(r - state.r, -most), most)
    else:
        state.r = r
    speed_input = law.speed_weight * state.r - y
    if law.kd_s_per_K > 0.0:
        # Backward difference of Kp Td s / (1 + s Td/N).
        change = speed_input - state.last_input
        state.speed = (law.filter_s * state.speed + law.kd_s_per_K * change) / (law.filter_s + h)
        state.last_input = speed_input
    state.error_K = state.r - y
    p = law.kp_per_K * (law.weight * state.r - y)
    asked = _ahead(law, state) + p + state.memory
    if law.kd_s_per_K > 0.0:
        asked += state.speed
    if law.splits:
        asked = _split(law, asked)
    proposed, code = min(max(asked, law.low), law.high), Code.FREE
    if law.rate_per_s > 0.0:
        step = law.rate_per_s * h
        if proposed > state.last_drive + step:
            proposed, code = state.last_drive + step, Code.RATE_UP
        elif proposed < state.last_drive - step:
            proposed, code = state.last_drive - step, Code.RATE_DOWN
    if code == Code.FREE and proposed != asked:
        code = _code_at_limit(law, state, asked, proposed)
    out.asked, out.proposed, out.p, out.i, out.d = asked, proposed, p, state.memory, state.speed
    out.delay_left_s, out.law_code = 0.0, code


@part
def _frozen(law: PidRecord, state: State, asked: float, given: float) -> bool:
    """Whether the memory holds still: it would only grow further beyond what is given."""
    error = state.error_K
    return (
        law.integrates
        and law.windup == Windup.HOLD
        and ((asked > given and error > 0.0) or (asked < given and error < 0.0))
    )


@part
def _code_at_limit(law: PidRecord, state: State, asked: float, given: float) -> Code:
    """Code of a drive at its limit."""
    if _frozen(law, state, asked, given):
        return Code.HELD_HIGH if asked > given else Code.HELD_LOW
    if law.integrates and law.windup == Windup.BACK:
        return Code.PULLED_HIGH if asked > given else Code.PULLED_LOW
    return Code.AT_HIGH if asked > given else Code.AT_LOW


@part
def retune(law: PidRecord, state: State, said: Said, y: float) -> None:
    """Take other settings; the memory takes up what proportional and speed term jump by. y as for `laws.ask`."""
    before = law.kp_per_K * (law.weight * state.r - y) + state.speed
    law.kp_per_K *= said.gain_factor
    law.ki_per_Ks *= said.gain_factor / said.ti_factor
    law.kd_s_per_K *= said.gain_factor * said.td_factor
    law.filter_s *= said.td_factor
    state.speed *= said.gain_factor
    if law.integrates and state.started:
        _add_to_memory(state, before - law.kp_per_K * (law.weight * state.r - y) - state.speed)


@part
def _joined(law: PidRecord, drive: float) -> float:
    """What the terms add up to where the drive is this: the inverse of `_split`."""
    half = 0.5 * law.dead_band
    if drive > 0.0:
        return drive + half
    return drive / law.cooling_ratio - half if drive < 0.0 else 0.0


@part
def took(law: PidRecord, state: State, given: float, h: float, out: Decision) -> None:
    """Learn what was given: the memory runs on, freezes or is pulled back. Arguments as for `laws.took`."""
    state.last_drive = given
    if not law.integrates:
        return
    if out.guard_code % RULERS not in (_LAW, _PERMIT):
        # Something stronger holds the drive: the memory goes along, so that it goes on from there without a jump. A
        # permit that is missing only takes one side away, like a limit; going along, the law might ask for the other.
        terms = _joined(law, given) if law.splits else given
        _set_memory(state, terms - _ahead(law, state) - out.p - out.d)
    else:
        inside = law.zone_K == 0.0 or abs(state.error_K) <= law.zone_K
        if inside and not _frozen(law, state, out.asked, given):
            _add_to_memory(state, law.ki_per_Ks * h * state.error_K)
        if law.windup == Windup.BACK:
            back = min(h / law.tracking_s, 1.0) * (given - out.asked)
            if law.splits:
                back /= _slope(law, out.asked)
            _add_to_memory(state, back)
    # Of the memory, what makes up for the setpoint weight is no part that its limits speak of.
    if law.memory_limited:
        lead = law.kp_per_K * (1.0 - law.weight) * state.r
        kept = min(max(state.memory, law.memory_low + lead), law.memory_high + lead)
        if kept != state.memory:
            _set_memory(state, kept)


def static_curve(law: model.Pid, setpoint_degC: float, way: Way, ends: tuple[float, float]) -> StaticCurve | None:
    """Its drive over the temperature, between where least and most of it is called for; of P alone.

    The memory and the speed term take time: PI and PID have no such curve.
    """
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
