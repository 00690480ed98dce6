"""The search for the settings of a strategy that meet all marks, with room, and still do when they are a little off.

Points spread evenly over the settings (a scrambled Sobol sequence) and those of published rules are run first; the
best of them are refined by a bounded search (differential evolution, Storn and Price 1997, by SciPy). Of what meets all
marks the last choice is what goes on meeting them with each setting a tenth off, found by moving to the middle of what
does. All by runs of the engine; the same project gives the same answer.
"""

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np
import scipy

from kelvarn.engine.layout import is_nonlinear
from kelvarn.engine.marks import PRESUMES, Verdict, stages_reached
from kelvarn.engine.run import Stopped
from kelvarn.model.candidate import Controller
from kelvarn.model.curve import Curve
from kelvarn.model.on_off import OnOff
from kelvarn.model.pid import Pid
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Trial
from kelvarn.studies.batch import Case, CaseResult, run_many
from kelvarn.studies.margins import missed, room

from .loop import Loop
from .process import PlantError
from .reserve import gain_factor, loops_at, setpoints_of
from .spaces import Point, Space

LEAST_RESERVE = 1.7
"""Gain factor from which on a proposal is sound."""
_ROUNDS = 9  # of the refinement
_REFINED = {False: 14, True: 7}  # points that it moves, for each setting; of rigs that take longer for a run
_OFF = 0.1  # by which settings are moved in the last choice
TRIES = 16
"""Settings moved so, of which it is said how many still do."""
_WIDER = 0.25  # likewise, when looking for the middle
_CHOSEN = {False: 32, True: 12}  # points among which the last choice is made, likewise
_MORE = 6  # of them that are looked at more closely
_MIDDLES = 3  # of those whose neighbourhood is looked at, so many times
_ON_VARIANTS = (16, 32, 64)  # variants for the better half, and half of that again
_NOT_THERE = "it does not come to every setpoint that full drive comes to"


@dataclass(frozen=True, eq=False)
class Tried:
    """Settings that were run on all trials.

    Attributes:
        settings, law: what.
        verdicts: of all marks of all trials.
        missed: by how much marks are missed in all, in limits; inf where it cannot be run.
        room: the least that is left to a limit where none is missed.
        factor: reserve where no mark is missed, in gain; inf where no gain makes it ring, or there is none to speak of.
    """

    settings: Point
    law: Controller
    verdicts: tuple[Verdict, ...]
    missed: float
    room: float
    factor: float

    @property
    def does(self) -> bool:
        """Whether it meets all marks with a sound reserve."""
        return self.missed == 0 and self.factor >= LEAST_RESERVE

    @property
    def score(self) -> float:
        """What the search makes small: what is missed, then what the reserve lacks, then room or reserve used up."""
        if self.missed > 0:
            return self.missed
        if self.factor < LEAST_RESERVE:
            return 1e-6 * (LEAST_RESERVE / max(self.factor, 1e-3) - 1)
        return -min(self.room, 1 - LEAST_RESERVE / self.factor)


class Search:
    """Runs settings of strategies on trials, and counts them.

    Attributes:
        runs: so far.
        patterns: which marks were met together, as far as it was seen.
    """

    def __init__(self, rig: Rig, trials: Sequence[Trial], tell: Callable[[int], bool]) -> None:
        """`tell` is told the runs so far; False ends it."""
        self._rig, self._trials, self._tell = rig, trials, tell
        self._asked = any(mark.measure in PRESUMES for trial in trials for mark in trial.marks)
        self._loops, self._slow = _loops(rig, trials), is_nonlinear(rig)
        self.runs = 0
        self.patterns: set[tuple[bool, ...]] = set()
        self._reachable = self._reached_flat_out()

    def best(self, space: Space, variants: Sequence[Rig] = ()) -> tuple[Tried, float]:
        """The best settings of a strategy, and the share of settings a tenth off that meet all marks as well.

        Args:
            space: the strategy.
            variants: of the rig, that are to do as well; none: they are not asked for.
        """
        size = len(space.axes)
        sobol = scipy.stats.qmc.Sobol(size, scramble=True, seed=1).random_base2(math.ceil(math.log2(space.count)))[
            : space.count
        ]
        points = [self._point(space, row.tolist()) for row in sobol[: space.count]]
        found = self._run(space, [space.settings(point) for point in points + list(space.also)])
        rows = [*sobol.tolist(), *([axis.share(x) for axis, x in zip(space.axes, point, strict=True)]
                                   for point in space.also)]  # fmt: skip
        order = sorted(range(len(found)), key=lambda k: found[k].score)
        begun = [rows[k] for k in order[: _REFINED[self._slow] * size]]

        def tried(columns: np.ndarray) -> np.ndarray:
            results = self._run(space, [space.settings(self._point(space, row.tolist())) for row in columns.T])
            found.extend(results)
            return np.array([min(each.score, 1e9) for each in results])

        scipy.optimize.differential_evolution(
            tried, [(0.0, 1.0)] * size, init=np.array(begun), maxiter=_ROUNDS, tol=0.0, rng=1, polish=False,
            updating="deferred", vectorized=True, mutation=(0.3, 0.8), recombination=0.8,
        )  # fmt: skip
        found.sort(key=lambda each: each.score)
        return self._choose(space, found, variants)

    def share_of(self, law: Controller, variants: Sequence[Rig]) -> float:
        """Share of variants of the rig on which a law meets all marks of all trials."""
        results = self._results([(rig, law) for rig in variants])
        return float(np.mean([missed(each, self._rig) == 0 for each in results]))

    @staticmethod
    def _point(space: Space, shares: Sequence[float]) -> Point:
        return tuple(axis.at(share) for axis, share in zip(space.axes, shares, strict=True))

    def _run(self, space: Space, asked: Sequence[Point]) -> list[Tried]:
        """Of each settings the verdicts of all trials, and the reserve where all marks are met."""
        laws = [space.law(settings) for settings in asked]
        results = self._results([(self._rig, law) for law in laws])
        return [
            self._judged(settings, law, each) for settings, law, each in zip(asked, laws, results, strict=True)
        ]  # fmt: skip

    def _judged(self, settings: Point, law: Controller, result: CaseResult) -> Tried:
        misses = missed(result, self._rig)
        if result.measures is not None:
            self.patterns.add(tuple(verdict.met for verdict in result.verdicts))
        factor = self._factor(law) if misses == 0 and isinstance(law, Pid) else math.inf
        return Tried(settings, law, result.verdicts, misses, room(result, self._rig), factor)

    def _factor(self, law: Pid) -> float:
        loops = (replace(loop, law=law) for loop in self._loops)
        return min((gain_factor(loop) for loop in loops), default=math.inf)

    def _results(self, asked: Sequence[tuple[Rig, Controller]]) -> list[CaseResult]:
        """Of each rig and law the verdicts of all trials in one."""
        cases = (Case(None, rig, law, trial) for rig, law in asked for trial in self._trials)
        found: list[CaseResult] = []
        for count, result in enumerate(run_many(cases)):
            which, place = divmod(count, len(self._trials))
            result = self._presumed(result, place, asked[which][1])
            found.append(_both(found.pop(), result) if place else result)
            self.runs += 1
            if not self._tell(self.runs):
                raise Stopped
        return found

    def _presumed(self, result: CaseResult, place: int, law: Controller) -> CaseResult:
        """A result whose marks that presume coming to the setpoint are not met where it does not."""
        if result.measures is None or (isinstance(law, Curve) and not self._asked):
            return result
        reached = stages_reached(self._trials[place], result.measures)
        if all(reached.get(stage, False) for stage in self._reachable[place]):
            return result
        there = tuple(
            replace(each, met=False, reason=_NOT_THERE) if each.mark.measure in PRESUMES or not self._asked else each
            for each in result.verdicts
        )
        return replace(result, verdicts=there)

    def _reached_flat_out(self) -> list[frozenset[int]]:
        """Of each trial the stages to whose setpoint full drive comes: what can be asked of a strategy."""
        flat_out = OnOff(below_K=0.05, above_K=0.05, dead_band_K=0.1)
        found = []
        for result, trial in zip(
            run_many(Case(None, self._rig, flat_out, trial) for trial in self._trials), self._trials, strict=True
        ):
            reached = {} if result.measures is None else stages_reached(trial, result.measures)
            found.append(frozenset(stage for stage, there in reached.items() if there))
        return found

    def _choose(self, space: Space, found: list[Tried], variants: Sequence[Rig]) -> tuple[Tried, float]:
        """Of what does, that which goes on doing with its settings a little off, and on variants; else the best."""
        doing = [each for each in found if each.does]
        if not doing:
            return found[0], self._stands(space, found[0]) if found[0].missed == 0 else 0.0
        chosen = _differing(doing, _CHOSEN[self._slow] * (2 if variants else 1))
        if variants:
            chosen = self._on_variants(space, chosen, variants)
        elif len(chosen) > _MORE:
            rough = sorted(((each, self._stands(space, each, TRIES // 2)) for each in chosen), key=_worth)
            chosen = [each for each, _ in rough[:_MORE]]
        rated = sorted(((each, self._stands(space, each)) for each in chosen), key=_worth)
        for each, stands in rated[:_MIDDLES]:
            rated.append(self._middle(space, each, stands))
        if variants:
            some = variants[: _ON_VARIANTS[-1]]
            by_share = {id(each): self.share_of(each.law, some) for each, _ in rated}
            return min(rated, key=lambda pair: (-by_share[id(pair[0])], *_worth(pair)))
        return min(rated, key=_worth)

    def _on_variants(self, space: Space, chosen: list[Tried], variants: Sequence[Rig]) -> list[Tried]:
        """Those that do on most variants: on more and more of them, then what lies round the best."""
        for count in _ON_VARIANTS:
            shares = {id(each): self.share_of(each.law, variants[:count]) for each in chosen}
            chosen = sorted(chosen, key=lambda each: (-shares[id(each)], each.score))[: max(2, len(chosen) // 2)]
        some = variants[: _ON_VARIANTS[-1]]
        best, share = chosen[0], self.share_of(chosen[0].law, some)
        for wide in (_WIDER, 2 * _OFF, _OFF, _OFF):
            if share == 1.0:
                break
            round_it = [each for each in self._run(space, _moved(best.settings, wide)) if each.does]
            rated = [(self.share_of(each.law, some), -each.score, each) for each in round_it]
            better, _, moved = max(rated, default=(0.0, 0.0, best), key=lambda each: each[:2])
            if better > share:
                best, share = moved, better
                chosen = [best, *chosen]
        return chosen

    def _stands(self, space: Space, each: Tried, tries: int = TRIES) -> float:
        """Share of settings a tenth off that meet all marks."""
        off = self._run(space, _moved(each.settings, _OFF)[-tries:])
        return float(np.mean([other.missed == 0 for other in off]))

    def _middle(self, space: Space, each: Tried, stands: float) -> tuple[Tried, float]:
        """Settings moved towards the middle of what does, while more of those a tenth off do."""
        for _ in range(_MIDDLES):
            if stands == 1.0:
                break
            doing = [other.settings for other in self._run(space, _moved(each.settings, _WIDER)) if other.does]
            if not doing:
                break
            middle = tuple(np.mean([*doing, each.settings], axis=0).tolist())
            (moved,) = self._run(space, [middle])
            share = self._stands(space, moved) if moved.does else 0.0
            if share <= stands:
                break
            each, stands = moved, share
        return each, stands


def _worth(rated: tuple[Tried, float]) -> tuple[float, float]:
    each, stands = rated
    return -stands, each.score


def _loops(rig: Rig, trials: Sequence[Trial]) -> list[Loop]:
    """Loops of a law that is put in later, at all stages; of those that reach to the other side, the utmost only."""
    found: list[Loop] = []
    law = Pid(low=-1.0 if rig.way.both else 0.0)
    for setpoint in setpoints_of(trials):
        try:
            loops = loops_at(rig, law, setpoint)
        except PlantError:
            continue
        found += [loops[0], loops[-1]] if len(loops) > 1 else loops
    return found


def _both(one: CaseResult, other: CaseResult) -> CaseResult:
    """Settings on one trial and on the next: what cannot be run there cannot be at all."""
    measures = None if other.measures is None else one.measures
    return CaseResult(one.key, measures, one.verdicts + other.verdicts, one.fault or other.fault)


def _moved(settings: Point, share: float) -> list[Point]:
    """Settings each off by up to a share of itself, evenly spread, the corners as well."""
    sobol = 2 * scipy.stats.qmc.Sobol(len(settings), scramble=True, seed=2).random_base2(4)[:TRIES] - 1
    corners = np.where(sobol >= 0, 1.0, -1.0)
    off = np.concatenate([sobol[: TRIES // 2], corners[TRIES // 2 :]])
    return [tuple((np.array(settings) * (1 + share * row)).tolist()) for row in off]


def _differing(found: list[Tried], count: int) -> list[Tried]:
    """The best that differ in some setting by more than they are moved later, and as many spread over the others."""
    kept: list[Tried] = []
    for each in [*found[: count // 2], *found[:: max(1, len(found) // count)]]:
        here = np.array(each.settings)
        if len(kept) < count and all((np.abs(here - o.settings) > 2 * _OFF * np.abs(here)).any() for o in kept):
            kept.append(each)
    return kept
