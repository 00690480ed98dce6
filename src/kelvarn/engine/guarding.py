"""Guards, permits and what happens to a controller in a trial, as records."""

import math
from collections.abc import Iterable, Sequence
from itertools import pairwise
from typing import Any

from kelvarn.model import guards as model
from kelvarn.model.control_events import (
    ControlStalls,
    OrdersLost,
    Override,
    Pause,
    PowerCut,
    PriceIs,
    ResetPressed,
    SetpointNudge,
    SignalGone,
)
from kelvarn.model.events import DoorOpens, Event
from kelvarn.model.guards import DAY_S, DAYS
from kelvarn.model.rig import Rig
from kelvarn.model.trial import WEEK_S, Trial

from .guard_records import (
    Does,
    Guard,
    Guarding,
    GuardKind,
    GuardState,
    Interval,
    IntervalKind,
    Now,
    Resumes,
    Ruler,
    Until,
    Watches,
)
from .layout import probe_record
from .plant import NONE
from .records import table

_DOES = {
    "off": Does.OFF, "on": Does.FULL, "full": Does.FULL, "fixed": Does.FIXED, "hold": Does.HOLD,
    "contactor": Does.CONTACTOR, "load": Does.LOAD,
}  # fmt: skip
_WATCHES = {
    "high": Watches.HIGH, "low": Watches.LOW, "deviation": Watches.DEVIATION, "saturated": Watches.SATURATED,
}  # fmt: skip
_UNTIL = {"time": Until.TIME, "plan": Until.PLAN, "reached": Until.REACHED}
_RESUMES = {"clock": Resumes.CLOCK, "stored": Resumes.STORED, "start": Resumes.START, "lost": Resumes.LOST}
_ALONE = {PowerCut: IntervalKind.POWER_CUT, OrdersLost: IntervalKind.ORDERS_LOST, ResetPressed: IntervalKind.RESET}

Span = tuple[float, float]


def guarding_of(rig: Rig | None, trial: Trial | None, make: Any = table, events: Sequence[Event] = ()) -> Guarding:
    """All that rules over a law, before the first sample.

    Args:
        rig: whose guards and permits count; None for none.
        trial: what happens; None for no more than `events`.
        make: makes a table, as for `laws.laws_of`.
        events: those of the trial, where it is None.
    """
    happens = trial.occurrences if trial is not None else events
    intervals = _of_events(happens)
    if rig is not None and trial is not None:
        intervals += _of_permits(rig, trial)
    intervals.sort(key=lambda each: each.from_s)
    guards = [] if rig is None else _guards(rig)
    return Guarding(
        intervals=make(Interval, [*intervals, _interval(IntervalKind.NEVER, math.inf, math.inf)]),
        guards=make(Guard, [*guards, _guard(GuardKind.NEVER)]),
        states=make(GuardState, [GuardState() for _ in range(len(guards) + 1)]),
        now=make(Now, [Now()]),
    )


def _interval(
    kind: IntervalKind, from_s: float, to_s: float, index: int = 0, value: float = 0.0, until: Until = Until.TIME,
    given: float = NONE,
) -> Interval:  # fmt: skip
    return Interval(kind, from_s, to_s, index, value, given, until, -1, False)


def _of_events(events: Sequence[Event]) -> list[Interval]:
    """What events mean to a controller."""
    found = []
    for place, event in enumerate(events):
        span = event.at_s, event.end_s
        if isinstance(event, Override):
            found.append(_interval(IntervalKind.OVERRIDE, *span, place, event.drive, _UNTIL[event.until]))
        elif isinstance(event, Pause):
            found.append(_interval(IntervalKind.OVERRIDE, *span, place))
        elif isinstance(event, SetpointNudge):
            found.append(_interval(IntervalKind.NUDGE, *span, place, event.change_K))
        elif isinstance(event, ControlStalls):
            every_s = NONE if event.every_s is None else event.every_s
            given = NONE if event.output is None else event.output
            found.append(_interval(IntervalKind.STALLED, *span, place, every_s, given=given))
        elif type(event) in _ALONE:
            found.append(_interval(_ALONE[type(event)], *span, place))
    return found


def _of_permits(rig: Rig, trial: Trial) -> list[Interval]:
    """When a permit is missing."""
    heats = IntervalKind.NO_HEATING if rig.heats else None
    # A law for a rig that only cools asks for cooling with a drive above 0.
    cools = IntervalKind.NO_COOLING if rig.heats else IntervalKind.NO_HEATING
    found = []
    for place, permit in enumerate(rig.permits):
        kinds = [heats] if permit.allows in ("both", "heating") and heats is not None else []
        if permit.allows in ("both", "cooling") and rig.cools:
            kinds.append(cools)
        for from_s, to_s in missing_spans(permit, trial):
            found += [_interval(kind, from_s, to_s, place) for kind in kinds]
    return found


def missing_spans(permit: model.PermitBase, trial: Trial) -> list[Span]:
    """From when to when a permit is missing in a trial, s."""
    events = trial.occurrences
    if isinstance(permit, model.DoorShut):
        open_spans = merged((each.at_s, each.end_s) for each in events if isinstance(each, DoorOpens))
        return [(low + permit.after_s, high) for low, high in open_spans if low + permit.after_s < high]
    if isinstance(permit, model.Signal):
        return merged(
            (each.at_s, each.end_s) for each in events if isinstance(each, SignalGone) and each.permit == permit.name
        )
    if isinstance(permit, model.PriceBelow):
        return _dear(permit.limit, [each for each in events if isinstance(each, PriceIs)])
    assert isinstance(permit, model.Hours)
    return _gaps(_hours(permit, trial), trial.duration_s)


def merged(spans: Iterable[Span]) -> list[Span]:
    """Spans in order, those that touch made one."""
    found: list[Span] = []
    for low, high in sorted(spans):
        if found and low <= found[-1][1]:
            found[-1] = found[-1][0], max(found[-1][1], high)
        else:
            found.append((low, high))
    return found


def _hours(permit: model.Hours, trial: Trial) -> list[Span]:
    """When the hours of a permit are, in trial time."""
    lasts_s = permit.to_s - permit.from_s + (0.0 if permit.to_s > permit.from_s else DAY_S)
    spans = []
    for day in permit.days:
        for week in range(-1, math.ceil(trial.duration_s / WEEK_S) + 1):
            at_s = DAYS.index(day) * DAY_S + permit.from_s - trial.begins_s + week * WEEK_S
            spans.append((at_s, at_s + lasts_s))
    return merged(spans)


def _gaps(spans: list[Span], duration_s: float) -> list[Span]:
    """What lies between spans, up to a while after the end."""
    ends = [0.0, *(high for _, high in spans)]
    begins = [*(low for low, _ in spans), 2 * duration_s]
    return [(low, high) for low, high in zip(ends, begins, strict=True) if high > max(low, 0.0)]


def _dear(limit: float, prices: list[PriceIs]) -> list[Span]:
    """When energy is no cheaper than a limit; of prices under way the one begun last counts."""
    instants = sorted({at for each in prices for at in (each.at_s, each.end_s)})
    spans = []
    for low, high in pairwise([*instants, math.inf]):
        under_way = [each for each in prices if each.at_s <= low < each.end_s]
        if under_way and max(under_way, key=lambda each: each.at_s).price >= limit:
            spans.append((low, high))
    return merged(spans)


def _guard(kind: GuardKind, **fields: Any) -> Guard:
    usual = Guard(
        kind=kind, place=0, probe=0, rank=Ruler.LAW, does=Does.OFF, watches=Watches.HIGH, sign=1.0, level_degC=0.0,
        away_K=0.0, rise_K=0.0, hysteresis_K=0.0, after_s=0.0, duty=0.0, cycle_s=0.0, latches=False, at_least=0.0,
        rest_s=0.0, still_s=0.0, resumes=Resumes.CLOCK, own_degC=0.0, keeps_memory=False, low_degC=0.0, high_degC=0.0,
    )  # fmt: skip
    for name, value in fields.items():
        setattr(usual, name, value)
    return usual


def _guards(rig: Rig) -> list[Guard]:
    """The guards of a rig as records, in its order; a thermal cut-off is no guard of the controller."""
    found = []
    for place, guard in enumerate(rig.guards):
        record = _record(rig, guard)
        if record is not None:
            record.place = place
            found.append(record)
    return found


def _record(rig: Rig, guard: Any) -> Guard | None:
    """One guard as a record."""
    match guard:
        case model.Trip():
            return _guard(
                GuardKind.TRIP, probe=_probe(rig, guard.probe), level_degC=guard.at_degC, does=_DOES[guard.does],
                rank=Ruler.LATCHED_TRIP if guard.latches else Ruler.GUARD, sign=1.0 if guard.side == "above" else -1.0,
                after_s=guard.delay_s, latches=guard.latches,
                hysteresis_K=0.0 if guard.latches else guard.hysteresis_K,
            )  # fmt: skip
        case model.ProbeFaultAction():
            low, high = _ends_degC(rig)
            return _guard(
                GuardKind.PROBE_FAULT, probe=rig.control_index, does=_DOES[guard.action], duty=guard.duty,
                rank=Ruler.PROBE_FAULT, after_s=guard.delay_s, still_s=guard.still_s or 0.0,
                cycle_s=guard.cycle_s or 0.0, low_degC=low, high_degC=high,
            )  # fmt: skip
        case model.NoRise():
            return _guard(
                GuardKind.NO_RISE, probe=rig.control_index, rank=Ruler.LATCHED_TRIP, at_least=guard.at_least,
                after_s=guard.for_s, rise_K=guard.rise_K, away_K=guard.away_K,
            )  # fmt: skip
        case model.LinkLost():
            return _guard(
                GuardKind.LINK_LOST, rank=Ruler.GUARD, does=_DOES[guard.action], duty=guard.duty, after_s=guard.after_s
            )
        case model.LongestOn():
            return _guard(GuardKind.LONGEST_ON, rank=Ruler.GUARD, after_s=guard.longest_s, rest_s=guard.rest_s)
        case model.Restart():
            return _guard(
                GuardKind.RESTART, rank=Ruler.GUARD, after_s=guard.delay_s, keeps_memory=guard.keeps_memory,
                resumes=_RESUMES[guard.setpoint], own_degC=guard.own_degC,
            )  # fmt: skip
        case model.Alarm():
            return _guard(
                GuardKind.ALARM, probe=_probe(rig, guard.probe), level_degC=guard.at_degC, away_K=guard.away_K,
                sign=-1.0 if guard.watches == "low" else 1.0, watches=_WATCHES[guard.watches], after_s=guard.delay_s,
                hysteresis_K=guard.hysteresis_K, latches=guard.until == "acknowledged",
            )  # fmt: skip
    return None


def _probe(rig: Rig, name: str) -> int:
    return [probe.name for probe in rig.probes].index(name)


def _ends_degC(rig: Rig) -> Span:
    """What the control probe shows at the ends of its range, after its correction."""
    record = probe_record(rig, rig.probe)

    def shown(degC: float) -> float:
        return record.correct_true_degC + (degC - record.correct_shown_degC) * record.correct_slope

    low, high = sorted((shown(record.lowest_degC), shown(record.highest_degC)))
    return low + 1e-9, high - 1e-9
