"""When a permit is missing in a trial, by its events and the clock, for drawing; the control step finds out itself."""

import math
from collections.abc import Iterable
from itertools import pairwise

from kelvarn.model import guards as model
from kelvarn.model.control_events import PriceIs, SignalGone
from kelvarn.model.events import DoorOpens
from kelvarn.model.guards import DAY_S, DAYS
from kelvarn.model.trial import WEEK_S, Trial

Span = tuple[float, float]


def missing_spans(permit: model.PermitBase, trial: Trial) -> list[Span]:
    """From when to when a permit is missing in a trial, s."""
    if isinstance(permit, model.DoorShut):
        after_s = permit.after_s
        return [(low + after_s, high) for low, high in gone_spans(permit, trial) if low + after_s < high]
    if isinstance(permit, model.Signal):
        return gone_spans(permit, trial)
    if isinstance(permit, model.PriceBelow):
        return _dear(permit.limit, [each for each in trial.occurrences if isinstance(each, PriceIs)])
    assert isinstance(permit, model.Hours)
    return _gaps(_hours(permit, trial), trial.duration_s)


def gone_spans(permit: model.PermitBase, trial: Trial) -> list[Span]:
    """From when to when something that a permit asks for is gone, s: a door is open, a signal is not there."""
    return merged(
        (event.at_s, event.end_s)
        for event in trial.occurrences
        if (isinstance(permit, model.DoorShut) and isinstance(event, DoorOpens))
        or (isinstance(permit, model.Signal) and isinstance(event, SignalGone) and event.permit == permit.name)
    )


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
