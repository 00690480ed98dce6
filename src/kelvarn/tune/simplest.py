"""The simplest that does: every strategy at its best for the marks of trials, and the first of them that meets all.

Each strategy is tried on a grid of its settings on log scales, laid round the ultimate point of the rig, and its best
points are refined by a bounded search (differential evolution, Storn and Price 1997, by SciPy). All by runs of the
engine; the same project gives the same answer.
"""

import itertools
import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np
from scipy.optimize import differential_evolution

from kelvarn.engine.layout import is_nonlinear
from kelvarn.engine.marks import Verdict
from kelvarn.engine.run import Stopped
from kelvarn.model.candidate import Controller
from kelvarn.model.curve import Curve
from kelvarn.model.drives import Fan
from kelvarn.model.on_off import OnOff
from kelvarn.model.pid import Pid
from kelvarn.model.project import Project
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Trial
from kelvarn.studies.batch import Case, CaseResult, run_many
from kelvarn.studies.room import margin
from kelvarn.studies.variants import vary

from .first_tries import fan_floor, fan_ramp, fan_steps
from .loop import loop_of, reserve
from .plant import PlantError
from .starts import ultimate_of_rig
from .ultimate import Ultimate

LEAST_RESERVE = 1.7
"""Gain factor from which on a proposal is sound."""
LEAST_SHARE = 0.95
"""Share of variants that must meet the marks, where variants are asked for."""
_ROUNDS = 9  # of the refinement
_KEPT = {1: 6, 2: 12, 3: 36, 4: 48}  # points of the grid that it begins with, by the number of settings
_KEPT_SLOW = {1: 6, 2: 10, 3: 14, 4: 20}  # of rigs that take ten times as long for a run
_USUAL = Ultimate(0.5, 600.0)  # where a rig has no ultimate point
Point = tuple[float, ...]


@dataclass(frozen=True)
class Best:
    """A strategy at its best.

    Attributes:
        strategy, controller: which, and its settings.
        met, asked: marks.
        miss: by how much the marks that are not met are missed, in limits; 0 where all are met.
        room: the least that is left to a limit, in limits, where all are met.
        binds: the mark that is missed most, or has the least room; None without marks.
        gain_factor: reserve; None where there is none to speak of.
        share: of variants that meet all marks of all trials; None where variants were not asked for.
    """

    strategy: str
    controller: Controller
    met: int
    asked: int
    miss: float
    room: float
    binds: Verdict | None
    gain_factor: float | None
    share: float | None = None

    @property
    def does(self) -> bool:
        """Whether it meets all marks with a sound reserve, and with enough variants where they were asked for."""
        sound = self.gain_factor is None or self.gain_factor >= LEAST_RESERVE
        return self.met == self.asked and sound and (self.share is None or self.share >= LEAST_SHARE)


@dataclass(frozen=True)
class Suggestion:
    """The best of each strategy, the simplest first, and the one proposed; None where none does."""

    best: tuple[Best, ...]
    proposed: Best | None
    runs: int


@dataclass(frozen=True)
class _Space:
    """Settings of a strategy: their ranges on log scales, how many are tried on the grid, and the law of a point."""

    strategy: str
    ranges: tuple[tuple[float, float], ...]
    counts: tuple[int, ...]
    law: Callable[[Point], Controller]
    also: Callable[[dict[str, Point]], list[Point]] = lambda _: []  # points besides, of where others ended


def _spaces(rig: Rig, trial: Trial) -> tuple[_Space, ...]:
    """Strategies that fit the rig, from the simplest on."""
    ku, pu = ultimate_of_rig(rig, trial) or _USUAL
    gain = (max(0.01 * ku, 1e-5), min(0.9 * ku, 1e3))
    low, slow = -1.0 if rig.way.both else 0.0, is_nonlinear(rig)
    of_pi, of_pid = ((8, 7, 2), (6, 5, 3, 2)) if slow else ((14, 12, 2), (9, 8, 3, 2))
    return (
        _on_off(both=rig.way.both),
        *(_curves(rig.cooling_fan, trial.plan.last_degC) if rig.cooling_fan is not None else ()),
        _Space("P", (gain,), (24,), lambda x: Pid(terms="P", kp_per_K=_round(x[0]), low=low)),
        _Space("PI", (gain, (0.2 * pu, 40 * pu), (0.3, 1.0)), of_pi,
               lambda x: Pid(terms="PI", kp_per_K=_round(x[0]), ti_s=_round(x[1]), setpoint_weight=_round(x[2]),
                             low=low)),
        _Space("PID", (gain, (0.2 * pu, 40 * pu), (0.02 * pu, 0.5 * pu), (0.3, 1.0)), of_pid,
               lambda x: Pid(terms="PID", kp_per_K=_round(x[0]), ti_s=_round(x[1]), td_s=_round(x[2]),
                             setpoint_weight=_round(x[3]), low=low),
               lambda ended: [(*ended["PI"][:2], td * pu, ended["PI"][2]) for td in (0.02, 0.06, 0.15)]),
    )  # fmt: skip


def _on_off(*, both: bool) -> _Space:
    """Its edges; where a rig heats and cools, the dead band between both as well."""
    edges = ((0.05, 20.0), (0.02, 20.0))
    if not both:
        return _Space("On/off", edges, (9, 9), lambda x: OnOff(below_K=_round(x[0]), above_K=_round(x[1])))
    return _Space("On/off", (*edges, (0.05, 8.0)), (6, 6, 4),
                  lambda x: OnOff(below_K=_round(x[0]), above_K=_round(x[1]), dead_band_K=_round(x[2])))  # fmt: skip


def _curves(fan: Fan, setpoint: float) -> tuple[_Space, ...]:
    """Fan curves that begin so many kelvins before the setpoint, and are full so many after that."""
    floor = fan_floor(fan)

    def law(of_kind: Callable[[float, float, float, float], Curve]) -> Callable[[Point], Curve]:
        return lambda x: of_kind(floor, setpoint - x[0], x[1], _round(x[2]))

    ranges = ((0.5, 12.0), (2.0, 60.0), (0.5, 10.0))
    return (
        _Space("Fan steps", ranges, (5, 6, 3), law(fan_steps)), _Space("Fan ramp", ranges, (5, 6, 2), law(fan_ramp)),
    )  # fmt: skip


def _round(value: float) -> float:
    """Three figures: more nobody sets."""
    return float(f"{value:.3g}")


def suggest(
    project: Project, trials: Sequence[Trial], tell: Callable[[float], bool] = lambda _: True, variants: int = 0
) -> Suggestion:
    """Every strategy at its best for one trial, or for several at once.

    Args:
        project, trials: the rig, and the marks; of several trials those that have some.
        tell: told the share that is done; False ends the search.
        variants: on how many variants of the rig each best is tried besides; 0 for none.

    Raises:
        PlantError: no trial has marks, so that nothing tells what is better.
        Stopped: `tell` ended it.
    """
    asked = [trial for trial in trials if trial.marks]
    if not asked:
        named = f"The trial “{trials[0].name}” has" if len(trials) == 1 else "The trials have"
        raise PlantError(f"{named} no marks; say first what is asked of the candidates.")
    spaces = _spaces(project.rig, asked[0])
    search = _Search(project, asked, spaces, tell)
    best = tuple(search.best(space) for space in spaces)  # in this order: some begin where others ended
    if variants:
        best = tuple(_on_variants(project.rig, each, asked, variants, tell) for each in best)
    return Suggestion(best, next((each for each in best if each.does), None), search.runs)


def _on_variants(rig: Rig, best: Best, trials: Sequence[Trial], count: int, tell: Callable[[float], bool]) -> Best:
    """A best with the share of variants that meet all marks of all trials; only tried where the rig itself does."""
    if best.met < best.asked:
        return replace(best, share=0.0)
    passed = np.ones(count, bool)
    for trial in trials:
        try:
            *_, found = vary(rig, best.controller, trial, count, go_on=lambda: tell(1.0))
        except ValueError as error:
            raise PlantError(str(error)) from error
        passed &= found.met.all(axis=1)
    return replace(best, share=float(passed.mean()))


class _Search:
    """Runs points of strategies, and counts them."""

    def __init__(
        self, project: Project, trials: list[Trial], spaces: Sequence[_Space], tell: Callable[[float], bool]
    ) -> None:  # fmt: skip
        self._project, self._trials, self._tell = project, trials, tell
        self._kept = _KEPT_SLOW if is_nonlinear(project.rig) else _KEPT
        of_each = (math.prod(space.counts) + (1 + _ROUNDS) * self._kept[len(space.counts)] for space in spaces)
        self._total = len(trials) * sum(of_each)
        self._ended: dict[str, Point] = {}  # where the search of each strategy ended
        self.runs = 0

    def best(self, space: _Space) -> Best:
        """The best point of a strategy."""
        axes = [np.geomspace(low, high, count) for (low, high), count in zip(space.ranges, space.counts, strict=True)]
        points: list[Point] = [tuple(map(float, point)) for point in itertools.product(*axes)]
        points += [point for point in space.also(self._ended) if len(point) == len(axes)]
        bounds = [(math.log(low), math.log(high)) for low, high in space.ranges]
        found = list(zip(points, self._run(space, points), strict=True))

        def tried(logs: np.ndarray) -> np.ndarray:
            """Scores of points given by columns."""
            asked = [tuple(map(float, np.exp(column))) for column in logs.T]
            results = self._run(space, asked)
            found.extend(zip(asked, results, strict=True))
            return np.array([score(result) for result in results])

        begun = sorted(found, key=lambda each: score(each[1]))[: self._kept[len(axes)]]
        differential_evolution(
            tried, bounds, init=np.log(np.array([point for point, _ in begun])), maxiter=_ROUNDS, tol=0.0, rng=1,
            polish=False, updating="deferred", vectorized=True, mutation=(0.3, 0.8), recombination=0.8,
        )  # fmt: skip
        point, result = min(found, key=lambda each: score(each[1]))
        self._ended[space.strategy] = point
        return self._judged(space, space.law(point), result)

    def _run(self, space: _Space, points: Sequence[Point]) -> list[CaseResult]:
        """Of each point the verdicts of all trials."""
        cases = (
            Case(k, self._project.rig, space.law(point), trial)
            for k, point in enumerate(points)
            for trial in self._trials
        )
        found: list[CaseResult] = []
        for count, result in enumerate(run_many(cases)):
            if count % len(self._trials):  # the point is there already, by the trials before
                result = _both(found.pop(), result)
            found.append(result)
            self.runs += 1
            if not self._tell(min(self.runs / self._total, 1.0)):
                raise Stopped
        return found

    def _judged(self, space: _Space, law: Controller, result: CaseResult) -> Best:
        factor = None
        if isinstance(law, Pid):
            try:
                factor = reserve(loop_of(self._project.rig, law, self._trials[0].plan.last_degC)).gain_factor
            except PlantError:
                factor = None
        margins = [(margin(verdict), verdict) for verdict in result.verdicts]
        worst, binds = min(margins, key=lambda each: each[0], default=(0.0, None))
        met = sum(verdict.met for verdict in result.verdicts)
        miss = sum(-each for each, verdict in margins if not verdict.met)
        asked = sum(len(trial.marks) for trial in self._trials)
        return Best(space.strategy, law, met, asked, miss, max(worst, 0.0), binds, factor)


def _both(one: CaseResult, other: CaseResult) -> CaseResult:
    """A point on one trial and on the next: one that cannot be run there cannot be at all."""
    measures = None if other.measures is None else one.measures
    return CaseResult(one.key, measures, one.verdicts + other.verdicts, one.fault or other.fault)


def score(result: CaseResult) -> float:
    """What the search makes small: what is missed; where nothing is, less for more room."""
    if result.measures is None:
        return 1e6
    margins = [margin(verdict) for verdict in result.verdicts]
    missed = sum(-each for each in margins if each < 0)
    return missed if missed > 0 else -min(margins)
