"""A run that is followed from an instant until every body rests or a limit is passed, and what came of it."""

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from functools import lru_cache
from typing import Any, cast

import numpy as np

from kelvarn.engine.applying import Heat
from kelvarn.engine.guard_records import RULERS, Ruler
from kelvarn.engine.happenings import Interval, OnTrial
from kelvarn.engine.heat import carried, conductance
from kelvarn.engine.kernel import Outcome
from kelvarn.engine.layout import Floats, lay_out
from kelvarn.engine.plant import TIME_EPS, BodyState, LoopState, State
from kelvarn.engine.prepare import RunError
from kelvarn.engine.records import rows_of, table
from kelvarn.engine.run import PreparedRun, Stopped, failure
from kelvarn.engine.survey import Trace
from kelvarn.model.candidate import Controller
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Trial

_LEAST_S = 600.0  # over which it must stand still to be at rest
_SAME_K = 0.05
_MOST_LEFT_K = 5.0  # to come where no limit is near
_MOST_SHARE = 0.95
_SAME_DRIVE = 2e-3
_SAME_KG = 1e-4  # of ice, from one stretch to the next
_OF_A_ROUND = 0.05  # of how far it goes to and fro

GoOn = Callable[[float], bool]
_NO_INTERVALS = table(Interval, ())
_LEAST_SAMPLES = 64
_SLICE = 20_000


@dataclass(frozen=True)
class Followed:
    """What came of a run from an instant on.

    Attributes:
        until_s: how long it was followed, from the start of the trial.
        rests: whether every body rests, or goes round and round, at its end.
        rising: whether the hottest of those that do not rest gets warmer, or colder.
        lowest_degC, highest_degC, end_degC: of each body since the instant, and at the end; the end's warmest over the
            last stretch.
        passed_s: how long after the instant each body passed a limit of its own.
        beforehand: whether a limit was passed before the instant.
        guard, alarm: the first guard code, and the first alarms, after it, and how long after.
        trip: the place of the first guard that tripped, and how long after.
        goal_lost_s: how long after it the goal was left, where it was kept; goal_at_end: whether it is kept at the end.
    """

    until_s: float
    rests: bool
    rising: bool
    lowest_degC: dict[str, float]
    highest_degC: dict[str, float]
    end_degC: dict[str, float]
    passed_s: dict[str, float] = field(default_factory=dict)
    beforehand: bool = False
    guard: tuple[int, float] | None = None
    alarm: tuple[int, float] | None = None
    trip: tuple[int, float] | None = None
    goal_lost_s: float | None = None
    goal_at_end: bool | None = None


@lru_cache(maxsize=16)
def slowest_s(rig: Rig) -> float:
    """The slowest time constant of a rig near its surroundings, with what moves standing still; 0 where it has none.

    That of its linearised heat balance; what only stores heat, and what melts, is not in it.
    """
    layout = lay_out(rig)
    n = len(layout.bodies)
    rates = np.zeros((n + 1, n + 1))
    for link in layout.links:
        _, by_a, by_b = carried(link, conductance(link, 0.0), layout.outside_degC, layout.outside_degC)
        for here, there, own, other in ((link.b, link.a, by_b, by_a), (link.a, link.b, by_a, by_b)):
            if link.one_way and here == link.a:
                continue
            rates[here, here] -= own
            rates[here, there] += other
    per_capacity = np.array([body.per_capacity_K_per_J for body in layout.bodies])
    found = np.abs(np.linalg.eigvals(rates[:n, :n] * per_capacity[:, np.newaxis]).real)
    lasting = found[found > 1e-9]
    return float(1 / lasting.min()) if lasting.size else 0.0


def _copied(of: Any) -> Any:
    """A copy of named tuples of arrays, all the way down."""
    if isinstance(of, np.ndarray):
        return of.copy()
    return type(of)(*(_copied(each) for each in of))


def _take(source: Any, target: Any) -> None:
    """Fill arrays with what others hold; of one that is longer, what comes first."""
    if isinstance(source, np.ndarray):
        if source.ndim == 1:
            target[: source.size] = source
        elif source.size:
            target[...] = source
        return
    for each, other in zip(source, target, strict=True):
        _take(each, other)


def _take_intervals(source: Any, target: Any) -> None:
    """Carry over what is kept of each interval, of which another run may have one more."""
    place = 0
    for kept in source:
        while any(target[place][name] != kept[name] for name in ("kind", "from_s", "to_s", "index")):
            place += 1
        target[place]["over"] = kept["over"]
        place += 1


def _to_come_K(stretches: Sequence[float], same_K: float) -> float:
    """What is still to come of what dies away by the same share in each stretch, K; inf of what does not."""
    first, before, last = stretches
    was, now = before - first, last - before
    if abs(now) <= same_K:
        return now
    share = now / was if was != 0.0 else math.inf
    return now * share / (1.0 - share) if 0.0 < share < _MOST_SHARE else math.inf


@dataclass(frozen=True)
class Snapshot:
    """All that is kept of a run before one of its samples."""

    sample: int
    state: State
    heat: Heat
    on_trial: OnTrial
    tripped: int  # at the sample before


class FollowedRun(PreparedRun):
    """A run that is looked at while it goes on.

    Args:
        rig, controller, trial, trace: as for `PreparedRun`; the trial lasts as long as it may be followed.
        at_s: the instant from which it counts.
    """

    def __init__(self, rig: Rig, controller: Controller, trial: Trial, at_s: float, trace: Trace | None = None) -> None:
        super().__init__(rig, controller, trial, trace=trace)
        self._at_s, self._h, self._done = at_s, rig.probe.interval_s, 0
        self._left_K: Floats = np.zeros(len(rig.all_bodies))
        self._ends_low_degC: Floats = np.full(len(rig.all_bodies), math.inf)

    def snapshot(self, sample: int, go_on: GoOn) -> Snapshot:
        """Compute up to a sample, and keep all that is kept before it. Raises as `follow` does."""
        self._compute_to(sample, go_on)
        tripped = int(self._trace.tripped[sample - 1]) if sample else 0
        return Snapshot(sample, _copied(self._state), _copied(self._heat), _copied(self._on_trial), tripped)

    def go_on_from(self, kept: Snapshot) -> None:
        """Begin where another run was, of the same rig and trial but for an event that begins then or later."""
        if kept.sample == 0:
            return
        _take(kept.state, self._state)
        _take(kept.heat, self._heat)
        _take(kept.on_trial._replace(intervals=_NO_INTERVALS), self._on_trial)
        _take_intervals(kept.on_trial.intervals, self._on_trial.intervals)
        for body in cast(Any, self._state.bodies):
            body["after_low_degC"], body["after_degC"] = math.inf, -math.inf
        self._trace.tripped[kept.sample - 1] = kept.tripped
        self._done = kept.sample

    def follow(self, earliest_s: float, latest_s: float, *, to_limit: bool, go_on: GoOn) -> Followed:
        """Compute until it rests or a limit is passed.

        Args:
            earliest_s: before this instant it is not at rest, since something is yet to come.
            latest_s: it is not followed further.
            to_limit: whether it ends as a body with a limit passes it.
            go_on: asked now and then; False stops.

        Raises:
            RunError: a body leaves every sensible range.
            Stopped: it was stopped.
        """
        most = self._trace.given.size - 1  # the last sample would have all of it read
        latest = min(math.ceil(latest_s / self._h) + 1, most)
        stretch = max(math.ceil(max(slowest_s(self._of[0]) / 3, _LEAST_S) / self._h), _LEAST_SAMPLES)
        begin = max(math.ceil(max(self._at_s, earliest_s) / self._h - TIME_EPS), self._done + 1)
        first = max(math.ceil(self._at_s / self._h - TIME_EPS), 0)
        wanted = min(begin + 3 * stretch, latest)
        while True:
            while self._done < wanted:
                self._compute_to(min(self._done + _SLICE, wanted), go_on)
                if to_limit and self._passed():
                    return self._told(stretch, rests=False)
            stretch = max(stretch, (self._done - begin) // 4)  # what goes round slowly needs a longer look
            if self._done - max(begin, first) >= 3 * stretch and self._rests(stretch):
                return self._told(stretch, rests=True)
            if self._done >= latest:
                return self._told(stretch, rests=False)
            wanted = min(self._done + stretch, latest)

    def _compute_to(self, sample: int, go_on: GoOn) -> None:
        """Compute up to before a sample."""
        if not go_on(self._done / self._trace.given.size):
            raise Stopped
        if sample > self._done:
            self._outcome = Outcome(self._compute(self._done, sample))
            if self._outcome != Outcome.DONE:
                rig, _, trial = self._of
                raise RunError(failure(rig, trial, self._outcome, rows_of(self._state.loop, LoopState)[0]))
            self._done = sample

    def _passed(self) -> bool:
        return any(each.passed_s >= self._at_s - TIME_EPS for each in rows_of(self._state.bodies, BodyState))

    def _rests(self, stretch: int) -> bool:
        """Whether all is in the last stretch as it was in the one before, or dies away far from every limit.

        What dies away goes on by the same share in each stretch; what is then still to come is known.
        """
        done = self._done
        first, before, last = (slice(done - k * stretch, done - (k - 1) * stretch) for k in (3, 2, 1))
        given = self._trace.given
        # What goes round and round is cut off somewhere in its round by each stretch.
        same_drive = _SAME_DRIVE + _OF_A_ROUND * float(np.ptp(given[last]))
        if abs(float(given[last].mean() - given[before].mean())) > same_drive:
            return False
        for row in self._trace.ice_kg:  # what ices is never the same again
            if abs(float(row[last].mean() - row[before].mean())) > _SAME_KG:
                return False
        for k, (body, row) in enumerate(zip(self._of[0].all_bodies, self._trace.bodies_degC, strict=True)):
            same_K = _SAME_K + _OF_A_ROUND * float(np.ptp(row[last]))
            tops, bottoms = ([float(of(row[part])) for part in (first, before, last)] for of in (np.max, np.min))
            up, down = _to_come_K(tops, same_K), _to_come_K(bottoms, same_K)
            margin = body.margin_K(float(row[last].min()) + min(down, 0.0), float(row[last].max()) + max(up, 0.0))
            near = margin is not None and abs(margin) < 1.0 + 0.2 * abs(up)
            if max(abs(up), abs(down)) > (same_K if near else _MOST_LEFT_K):
                return False
            self._left_K[k] = up
            self._ends_low_degC[k] = float(row[last].min()) + down
        # What creeps, such as a memory on a reading that stands still, comes somewhere in the end.
        return not self._creeps(before, last)

    def _creeps(self, before: slice, last: slice) -> bool:
        """Whether the reading stands still while the drive asked for does not."""
        trace, index = self._trace, self._of[0].control_index
        reading = trace.readings_degC[index, before.start : last.stop]
        if float(np.ptp(reading)) > 0.0:
            return False
        asked = trace.given
        return abs(float(asked[last].mean() - asked[before].mean())) > 1e-7

    def _told(self, stretch: int, *, rests: bool) -> Followed:
        """What came of it so far."""
        rig, trace, at_s, h, done = self._of[0], self._trace, self._at_s, self._h, self._done
        first = min(math.ceil(at_s / h - TIME_EPS), done - 1)
        bodies = rows_of(self._state.bodies, BodyState)
        if at_s == 0.0:  # a guard that does not act is no event, from which on it would have been noted
            for each in bodies:
                each.after_low_degC, each.after_degC = each.lowest_degC, each.highest_degC
        named = list(zip(rig.all_bodies, bodies, strict=False))
        rows, late = trace.bodies_degC[:, :done], slice(max(done - stretch, first), done)
        passed: dict[str, float] = {}
        for body, kept in named:
            margin = body.margin_K(kept.after_low_degC, kept.after_degC)
            if margin is not None and margin < 0.0:  # one that was passed before is so from the instant on
                passed[body.name] = max(kept.passed_s - at_s, 0.0)
        early = slice(max(late.start - stretch, first), max(late.start, first + 1))
        change = rows[:, late].mean(axis=1) - rows[:, early].mean(axis=1)
        moving = int(np.argmax(np.abs(change)))
        guards = trace.guard_code[first:done]
        acted = np.flatnonzero(np.isin(guards % RULERS, (Ruler.GUARD, Ruler.PROBE_FAULT)))
        tripped = trace.tripped[first:done] & ~np.int32(trace.tripped[first - 1] if first > 0 else 0)
        trips, alarms = np.flatnonzero(tripped), np.flatnonzero(trace.alarm_code[first:done])
        trip = guard = alarm = None
        if trips.size:
            code = int(tripped[trips[0]])
            trip = (code & -code).bit_length() - 1, (first + int(trips[0])) * h - at_s
        if acted.size and (not trips.size or acted[0] < trips[0]):
            guard = int(guards[acted[0]]), (first + int(acted[0])) * h - at_s
        if alarms.size:
            alarm = int(trace.alarm_code[first + alarms[0]]), (first + int(alarms[0])) * h - at_s
        lost_s, kept_at_end = self._goal(first, done, late)
        end = {
            body.name: float(rows[k, late].max()) + (float(self._left_K[k]) if rests else 0.0)
            for k, (body, _) in enumerate(named)
        }
        return Followed(
            until_s=done * h,
            rests=rests,
            rising=bool(change[moving] > 0),
            lowest_degC={
                body.name: min(kept.after_low_degC, float(self._ends_low_degC[k]) if rests else math.inf)
                for k, (body, kept) in enumerate(named)
            },
            highest_degC={body.name: max(kept.after_degC, end[body.name]) for body, kept in named},
            end_degC=end,
            passed_s=passed,
            beforehand=any(0.0 <= kept.passed_s < at_s - TIME_EPS for kept in bodies),
            guard=guard,
            alarm=alarm,
            trip=trip,
            goal_lost_s=lost_s,
            goal_at_end=kept_at_end,
        )

    def _goal(self, first: int, done: int, late: slice) -> tuple[float | None, bool | None]:
        """How long after the instant the goal is left, where it was kept; whether it is kept in the last stretch."""
        goal = self._of[0].goal
        if goal is None:
            return None, None
        low = -math.inf if goal.low_degC is None else goal.low_degC
        high = math.inf if goal.high_degC is None else goal.high_degC
        row: Floats = self._trace.bodies_degC[self._of[0].body_index(goal.body)]
        outside = np.flatnonzero((row[first:done] < low) | (row[first:done] > high))
        lost = outside.size > 0 and outside[0] > 0
        at_end = bool((row[late] >= low).all() and (row[late] <= high).all())
        return ((first + int(outside[0])) * self._h - self._at_s if lost else None), at_end
