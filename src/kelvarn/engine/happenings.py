"""What happens to a controller in a trial, made into the inputs of its control step sample by sample.

Power cuts and missed samples are no inputs: without power no sample is taken, and a controller that is busy takes none.
"""

import math
from dataclasses import dataclass
from enum import IntEnum
from typing import NamedTuple

from .ages import NOT_BEGUN, WEEK_MS
from .compiled import part, subroutine
from .control import Control, control_step, resume
from .guard_records import GuardKind, Resumes, Ruler
from .guards import code_of
from .inputs import Inputs
from .plan import setpoint_step
from .plant import NONE, TIME_EPS
from .records import Table

_POWER_CUT = int(Ruler.POWER_CUT)
_STANDS_STILL = int(Ruler.STANDS_STILL)


class IntervalKind(IntEnum):
    """What holds from an instant to before another."""

    POWER_CUT = 1
    ORDERS_LOST = 2
    STALLED = 3  # value: seconds between samples that are taken; NONE for none
    GONE = 4  # index: of the permit that asks for it
    PRICE = 5  # value: it
    OVERRIDE = 6  # index: of the event; value: the drive
    NUDGE = 7  # value: K
    RESET = 8
    RETUNED = 9  # at the first sample; value: factor of the gain


@dataclass(slots=True)
class Interval:
    """Something that holds for a while, in order of their beginnings."""

    kind: int  # IntervalKind
    from_s: float
    to_s: float
    index: int
    value: float
    given: float  # of a controller that hangs, its output; NONE: as it was
    until: int  # inputs.Until, of an override
    ti: float  # factors of what is set anew
    td: float
    over: bool  # kept: it ended before its time


@dataclass(slots=True)
class CourseRecord:
    """A change of the setpoint in the trial's course."""

    at_s: float
    begun_s: float  # kept: when it did begin; NONE: not yet


@dataclass(slots=True)
class Happening:
    """What is kept of a trial from one sample to the next."""

    begins_ms: int  # into the week
    place: int = 0  # intervals before it have ended
    power_cut: bool = False
    was_cut: bool = False
    stalled: bool = False
    hung_at: float = NONE  # the drive that a controller gives that hangs; NONE: its last one
    taken: int = -1  # the last sample that was taken; −1: none
    noted: int = 0  # changes of the course that have begun
    waited_ms: int = 0  # by which the plan's clock is behind


class OnTrial(NamedTuple):
    """A controller, what reaches it, and what happens to it in a trial."""

    control: Control
    inputs: Inputs
    intervals: Table[Interval]
    course: Table[CourseRecord]
    happening: Table[Happening]


@part
def take_sample(on_trial: OnTrial, k: int) -> None:
    """Take a sample, where the controller takes it; readings were written into its inputs before.

    Args:
        on_trial: it; `control.decision` then says what was decided.
        k: sample.
    """
    control, happening = on_trial.control, on_trial.happening[0]
    interval_ms = control.timing[0].interval_ms
    _look_around(on_trial, k)
    if happening.power_cut:
        _without_power(on_trial, k)
        return
    if happening.was_cut:
        resume(control, (k - happening.taken) * interval_ms)
        happening.was_cut, happening.taken = False, -1
    out, now = control.decision[0], control.guarding.now[0]
    if happening.stalled:
        if happening.hung_at != NONE:
            out.given = now.given = happening.hung_at
        out.guard_code = _STANDS_STILL
        return
    passed_ms = (k - happening.taken) * interval_ms if happening.taken >= 0 else 0
    happening.taken = k
    control_step(control, on_trial.inputs, passed_ms)
    if now.let_go:
        _let_go(on_trial, now.seen_override)
    if not now.lost:
        _note_course(on_trial, k)


@part
def _look_around(on_trial: OnTrial, k: int) -> None:
    """Find what happens at a sample."""
    happening, intervals, said = on_trial.happening[0], on_trial.intervals, on_trial.inputs.said[0]
    interval_ms = on_trial.control.timing[0].interval_ms
    t = k * interval_ms / 1000.0
    happening.power_cut = happening.stalled = said.reset = said.price_known = said.retunes = False
    said.order_age_ms, said.override, said.nudge_K = NOT_BEGUN, -1, 0.0
    said.gain_factor = said.ti_factor = said.td_factor = 1.0
    said.week_ms = (happening.begins_ms + k * interval_ms) % WEEK_MS
    for p in range(len(on_trial.inputs.asked)):
        on_trial.inputs.asked[p].gone_ms = NOT_BEGUN
    while happening.place < len(intervals) and intervals[happening.place].to_s <= t + TIME_EPS:
        happening.place += 1
    price_s = NONE
    for i in range(happening.place, len(intervals)):
        each = intervals[i]
        if each.from_s > t + TIME_EPS:
            break
        if each.to_s <= t + TIME_EPS or each.over:
            continue
        if each.kind == IntervalKind.PRICE and each.from_s > price_s:  # of several the one begun last
            said.price, said.price_known, price_s = each.value, True, each.from_s
        elif each.kind <= IntervalKind.STALLED:
            _trouble(on_trial, each, k, t)
        else:
            _say(on_trial, each, t)
    if said.retunes and not happening.power_cut and not happening.stalled:
        _set_once(on_trial, t)


@part
def _since_ms(each: Interval, t: float) -> int:
    """For how long something has held."""
    return max(math.floor((t - each.from_s) * 1000.0 + 1e-6), 0)


@part
def _trouble(on_trial: OnTrial, each: Interval, k: int, t: float) -> None:
    """What troubles the controller itself: its power, its samples, its link to the drives."""
    happening, said = on_trial.happening[0], on_trial.inputs.said[0]
    if each.kind == IntervalKind.POWER_CUT:
        happening.power_cut = True
    elif each.kind == IntervalKind.ORDERS_LOST:
        said.order_age_ms = max(said.order_age_ms, _since_ms(each, t))
    else:
        lasted_s = (k - happening.taken) * on_trial.control.timing[0].interval_ms / 1000.0
        happening.stalled = each.value == NONE or (happening.taken >= 0 and lasted_s < each.value - TIME_EPS)
        happening.hung_at = each.given


@part
def _say(on_trial: OnTrial, each: Interval, t: float) -> None:
    """What permits ask for, and what people do."""
    said = on_trial.inputs.said[0]
    if each.kind == IntervalKind.GONE:
        asked = on_trial.inputs.asked[each.index]
        asked.gone_ms = max(asked.gone_ms, _since_ms(each, t))
    elif each.kind == IntervalKind.OVERRIDE:
        said.override, said.override_drive, said.override_until = each.index, each.value, each.until
    elif each.kind == IntervalKind.NUDGE:
        said.nudge_K += each.value
    elif each.kind == IntervalKind.RESET:
        said.reset = True
    elif each.kind == IntervalKind.RETUNED:
        said.retunes = True
        said.gain_factor *= each.value
        said.ti_factor *= each.ti
        said.td_factor *= each.td


@subroutine
def _set_once(on_trial: OnTrial, t: float) -> None:
    """What is set anew is so once."""
    for i in range(len(on_trial.intervals)):
        each = on_trial.intervals[i]
        if each.kind == IntervalKind.RETUNED and each.from_s <= t + TIME_EPS:
            each.over = True


@subroutine
def _let_go(on_trial: OnTrial, event: int) -> None:
    """An override has ended before its time."""
    for i in range(len(on_trial.intervals)):
        each = on_trial.intervals[i]
        if each.kind == IntervalKind.OVERRIDE and each.index == event:
            each.over = True


@subroutine
def _without_power(on_trial: OnTrial, k: int) -> None:
    """A sample without power: nothing is measured, asked or given. The plan of a controller with a clock goes on."""
    control, happening = on_trial.control, on_trial.happening[0]
    out, timing, plan = control.decision[0], control.timing[0], control.plan
    happening.was_cut = True
    stands = control.guarding.now[0].lost
    for g in range(len(control.guarding.guards)):
        guard = control.guarding.guards[g]
        if guard.kind == GuardKind.RESTART and guard.resumes != Resumes.CLOCK:
            stands = True
    if not stands or plan.state[0].begun == 0:
        passed_ms = (k - happening.taken) * timing.interval_ms if happening.taken >= 0 else 0
        y = on_trial.inputs.readings[timing.control_probe].degC
        out.setpoint_degC = setpoint_step(plan, timing, passed_ms, y, False, on_trial.inputs.said[0].week_ms)
        _note_course(on_trial, k)
    happening.taken = k
    control.guarding.now[0].given = 0.0
    out.asked = out.proposed = out.given = out.p = out.i = out.d = out.delay_left_s = 0.0
    out.law_code, out.alarm_code = 0, 0
    out.guard_code = code_of(_POWER_CUT, 0)
    out.drives_cut, out.loads_cut = True, False


@part
def _note_course(on_trial: OnTrial, k: int) -> None:
    """Note which changes of the trial's course have begun, and by how much the plan's clock is behind."""
    happening, plan = on_trial.happening[0], on_trial.control.plan
    if len(plan.parts) > 0:  # by the clock, which nothing keeps waiting
        return
    happening.waited_ms = k * on_trial.control.timing[0].interval_ms - plan.state[0].clock_ms
    while happening.noted < min(plan.state[0].count, len(on_trial.course)):
        change = on_trial.course[happening.noted]
        change.begun_s = change.at_s + happening.waited_ms / 1000.0
        happening.noted += 1
