"""Variants: the same controller on many rigs that differ within their tolerances.

Drawn by a scrambled Sobol sequence (SciPy, after Joe and Kuo 2008), evenly within each tolerance; the same seed, the
same rigs. What matters most is said by how much of a measure's ranks follows those of a parameter, straight or bent: so
what is bad on both sides is seen as well as what is bad on one (by Spearman's rank correlation).
"""

import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt
import scipy

from kelvarn.engine.marks import judge
from kelvarn.engine.measures import measure
from kelvarn.engine.run import Stopped, compute
from kelvarn.model.candidate import Controller
from kelvarn.model.mark import Mark
from kelvarn.model.rig import Rig
from kelvarn.model.tolerances import Parameter, parameters, varied
from kelvarn.model.trial import Trial
from kelvarn.sentence import say

from .batch import Case, CaseResult, run_many
from .margins import missed

Floats = npt.NDArray[np.float64]
COUNT = 500
_COURSE = 240  # points of a course that are kept
_LEAST_INDEX = 0.15
_BY_CHANCE = 3.0  # over the root of the count: what two columns have in common by chance
_ONE_SIDED = 0.75  # of the index: what a straight line explains of what a parabola does
_SURE = 0.95


@dataclass(frozen=True)
class Influence:
    """How much a parameter matters for what a mark is on.

    Attributes:
        parameter, mark: which.
        correlation: Spearman's rank correlation, −1…1; of a mark "within ±" with the size of the measure.
        index: the same for a parabola through the ranks in place of a straight line, 0…1.
    """

    parameter: Parameter
    mark: Mark
    correlation: float
    index: float

    @property
    def both_sides(self) -> bool:
        """Whether it is bad on both sides rather than the more, or the less, the worse."""
        return abs(self.correlation) < _ONE_SIDED * self.index

    @property
    def worse(self) -> str:
        """On which side it is worse."""
        if self.both_sides:
            return say("either way is worse")
        more_is_worse = (self.correlation > 0) != (self.mark.direction == "at_least")
        return say("more is worse") if more_is_worse else say("less is worse")


@dataclass(frozen=True, eq=False)
class Variants:
    """What so many variants gave, so far.

    Attributes:
        count, wanted: how many were computed of how many.
        parameters, places: what differed, and where in its tolerance, shape (count, parameters), −1…1.
        marks: of the trial; met: which of them each variant meets, shape (count, marks).
        values: of each mark's measure likewise; NaN where there is none.
        failed: variants that could not be computed, and why the first of them.
        time_s, low_degC, middle_degC, high_degC: envelope of the judged body: 5, 50 and 95 per cent of the variants.
        nominal_met: which marks the rig itself meets.
        influences: the strongest first.
        worst: the variant that misses most; None without one.
    """

    count: int
    wanted: int
    parameters: tuple[Parameter, ...]
    places: Floats
    marks: tuple[Mark, ...]
    met: npt.NDArray[np.bool_]
    values: Floats
    failed: int
    fault: str
    time_s: Floats
    low_degC: Floats
    middle_degC: Floats
    high_degC: Floats
    nominal_met: tuple[bool, ...]
    influences: tuple[Influence, ...]
    worst: int | None

    @property
    def shares(self) -> tuple[float, ...]:
        """Share of the variants that meets each mark."""
        return tuple(float(share) for share in self.met.mean(axis=0)) if self.count else ()

    @property
    def share_of_all(self) -> float:
        """Share of the variants that meets all marks."""
        return float(self.met.all(axis=1).mean()) if self.count else 0.0

    def sure(self, share: float) -> tuple[float, float]:
        """The 95 % interval of a share of these variants (Wilson, J. Am. Stat. Assoc. 22, 1927)."""
        if not self.count:
            return 0.0, 1.0
        found = scipy.stats.binomtest(round(share * self.count), self.count).proportion_ci(_SURE, method="wilson")
        return float(found.low), float(found.high)

    def rig_of(self, rig: Rig, index: int) -> Rig:
        """The rig of a variant."""
        made: Rig = varied(rig, self.parameters, self.places[index].tolist())
        return made

    def hurts_most(self) -> list[Influence]:
        """Of each parameter its strongest influence on a mark that some variants miss (else on any)."""
        missed_by = [mark for mark, share in zip(self.marks, self.shares, strict=True) if share < 1] or self.marks
        strongest: dict[Parameter, Influence] = {}
        for each in self.influences:  # the strongest first
            if each.mark in missed_by:
                strongest.setdefault(each.parameter, each)
        return list(strongest.values())


def draw(rig: Rig, count: int, seed: int = 1) -> list[Rig]:
    """The rigs of so many variants. Raises ValueError where nothing of the rig has a tolerance.

    Args:
        rig: as it is meant, with tolerances.
        count: how many.
        seed: the same one gives the same rigs.
    """
    moved, places = _drawn(rig, count, seed)
    return [varied(rig, moved, row) for row in places.tolist()]


def _drawn(rig: Rig, count: int, seed: int) -> tuple[list[Parameter], Floats]:
    """What differs, and where in its tolerance each variant is, −1…1, shape (count, parameters)."""
    moved = parameters(rig)
    if not moved:
        raise ValueError(say("No part of the rig has a tolerance, so that every variant would be the same."))
    sobol = scipy.stats.qmc.Sobol(len(moved), scramble=True, seed=seed)
    return moved, 2 * sobol.random_base2(max(0, math.ceil(math.log2(count))))[:count] - 1


def vary(
    rig: Rig, controller: Controller, trial: Trial, count: int = COUNT, seed: int = 1,
    go_on: Callable[[], bool] = lambda: True,
) -> Iterator[Variants]:  # fmt: skip
    """Variants, as more and more of them are there; the last one is all of them.

    Args:
        rig, controller, trial: what is varied, and what it is put through.
        count, seed: how many, and which.
        go_on: asked now and then; False stops.

    Raises:
        RunError: the rig itself cannot be run.
        ValueError: nothing of the rig has a tolerance.
        Stopped: it was stopped.
    """
    nominal = compute(rig, controller, trial)
    moved, places = _drawn(rig, count, seed)
    cases = (
        Case(k, varied(rig, moved, row), controller, trial, course=_COURSE) for k, row in enumerate(places.tolist())
    )
    results: list[CaseResult] = []
    due = 32
    for result in run_many(cases, go_on):
        results.append(result)
        if not go_on():
            raise Stopped
        if len(results) == due and due < count:
            due *= 2
            yield _gathered(results, nominal, moved, places, trial, count)
    yield _gathered(results, nominal, moved, places, trial, count)


def _gathered(
    results: list[CaseResult], nominal: Any, moved: list[Parameter], places: Floats, trial: Trial, wanted: int
) -> Variants:
    """What the variants so far say."""
    count, marks = len(results), trial.marks
    met = np.array([[v.met for v in r.verdicts] if r.verdicts else [False] * len(marks) for r in results], bool)
    values = np.array(
        [[math.nan if v.value is None else v.value for v in r.verdicts] or [math.nan] * len(marks) for r in results]
    ).reshape(count, len(marks))
    courses = np.array([r.course for r in results if r.course is not None])
    low, middle, high = np.percentile(courses, [5, 50, 95], axis=0) if len(courses) else (np.zeros(0),) * 3
    faults = [r.fault for r in results if r.measures is None]
    misses = [missed(r, nominal.rig) for r in results]
    worst = int(np.argmax(misses)) if misses and max(misses) > 0 else None
    verdicts = judge(trial, measure(nominal))
    step = -(-nominal.time_s.size // _COURSE)
    return Variants(
        count, wanted, tuple(moved), places[:count], marks, met.reshape(count, len(marks)), values, len(faults),
        faults[0] if faults else "", nominal.time_s[::step], low, middle, high,
        tuple(verdict.met for verdict in verdicts), _influences(moved, places[:count], marks, values), worst,
    )  # fmt: skip


def _influences(
    moved: list[Parameter], places: Floats, marks: tuple[Mark, ...], values: Floats
) -> tuple[Influence, ...]:
    """Influences worth telling."""
    if not marks or len(values) < 2:
        return ()
    # What is never there is worse than any value that is: it ranks last.
    worst = np.array([-np.inf if mark.direction == "at_least" else np.inf for mark in marks])
    ranked = np.where(np.isfinite(values), values, worst)
    within = [mark.direction == "within" for mark in marks]
    ranked[:, within] = np.abs(ranked[:, within])
    of_measures, straight = _standardised(ranked), _standardised(places)
    bent = straight**2 - 1  # of evenly spread ranks; what it has of the straight line is taken out
    bent -= straight * (straight * bent).mean(axis=0) / np.maximum((straight**2).mean(axis=0), 1e-12)
    bent /= np.maximum(bent.std(axis=0), 1e-12)
    rho, by_bend = (columns.T @ of_measures / len(values) for columns in (straight, bent))
    index = np.hypot(rho, by_bend)
    least = max(_LEAST_INDEX, _BY_CHANCE / math.sqrt(len(values)))
    found = [
        Influence(parameter, mark, float(rho[k, column]), float(index[k, column]))
        for k, parameter in enumerate(moved)
        for column, mark in enumerate(marks)
        if index[k, column] >= least
    ]
    return tuple(sorted(found, key=lambda each: -each.index))


def _standardised(columns: Floats) -> Floats:
    """Ranks of each column with mean 0 and variance 1; 0 where all are alike."""
    ranks = scipy.stats.rankdata(columns, axis=0)
    ranks -= ranks.mean(axis=0)
    size = ranks.std(axis=0)
    made: Floats = ranks / np.where(size > 0, size, 1.0)
    return made
