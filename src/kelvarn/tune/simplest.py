"""The simplest that does: every strategy at its best for the marks of trials, and the first of them that meets all."""

import itertools
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from kelvarn.engine.marks import Verdict
from kelvarn.engine.prepare import RunError, samples_of
from kelvarn.model.candidate import Controller
from kelvarn.model.mark import Mark
from kelvarn.model.pid import Pid
from kelvarn.model.project import Project
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Trial
from kelvarn.sentence import figures, say
from kelvarn.studies.margins import NEVER, margin
from kelvarn.studies.variants import draw
from kelvarn.units import Scale, three_figures

from .process import PlantError
from .reserve import least_reserve
from .search import LEAST_RESERVE, TRIES, Search, Tried
from .spaces import spaces
from .starts import plant_of_project

LEAST_SHARE = 0.95
"""Share of variants that must meet the marks, where variants are asked for."""
_RUNS_EACH = 1400  # of a strategy, about: what progress is told by


@dataclass(frozen=True)
class Best:
    """A strategy at its best.

    Attributes:
        strategy, controller: which, and its settings.
        met, asked: marks.
        miss: by how much the marks that are not met are missed, in limits; 0 where all are met.
        room: the least that is left to a limit, in limits, where all are met.
        binds: the mark that is missed most, or has the least room; None without marks.
        gain_factor: the smallest reserve over all stages of the trials; None where there is none to speak of.
        stands: share of its settings a tenth off that meet all marks as well.
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
    stands: float = 0.0
    share: float | None = None

    @property
    def does(self) -> bool:
        """Whether it meets all marks with a sound reserve, and with enough variants where they were asked for."""
        sound = self.gain_factor is None or self.gain_factor >= LEAST_RESERVE
        return self.miss == 0 and sound and (self.share is None or self.share >= LEAST_SHARE)


@dataclass(frozen=True)
class Suggestion:
    """The best of each strategy, the simplest first, and the one proposed; None where none does.

    Attributes:
        runs: how many it took.
        never: marks that no run met; contradict: pairs of marks that some runs met, but none both. Told only where no
            run met all.
    """

    best: tuple[Best, ...]
    proposed: Best | None
    runs: int
    never: tuple[Mark, ...] = ()
    contradict: tuple[tuple[Mark, Mark], ...] = ()


def suggest(
    project: Project, trials: Sequence[Trial], tell: Callable[[float], bool] = lambda _: True, variants: int = 0
) -> Suggestion:
    """Every strategy at its best for one trial, or for several at once.

    Args:
        project, trials: the rig, and the marks; of several trials those that have some.
        tell: told the share that is done; False ends the search.
        variants: how many variants of the rig are to do as well; 0 for none.

    Raises:
        PlantError: no trial has marks, so that nothing tells what is better; or no part of the rig can vary.
        RunError: a trial is too short or too long for the probe's interval.
        Stopped: `tell` ended it.
    """
    asked = [trial for trial in trials if trial.marks]
    if not asked:
        named = say("The trial “{name}” has", name=trials[0].name) if len(trials) == 1 else say("The trials have")
        raise PlantError(say("{named} no marks; say first what is asked of the candidates.", named=named))
    for trial in asked:
        samples_of(project.rig, trial)
    try:
        rigs = draw(project.rig, variants) if variants else []
    except ValueError as error:
        raise PlantError(str(error)) from error
    try:
        plant = plant_of_project(project, asked[0])
    except (PlantError, RunError):
        plant = None
    of_each = spaces(project.rig, asked, plant)
    total = len(of_each) * len(asked) * _RUNS_EACH + 2 * len(rigs) * len(of_each)
    search = Search(project.rig, asked, lambda runs: tell(min(runs / total, 0.99)))
    best = []
    for space in of_each:
        tried, stands = search.best(space, rigs)
        share = None
        if rigs:
            share = search.share_of(tried.law, rigs) if tried.missed == 0 else 0.0
        best.append(_best(project.rig, asked, space.strategy, tried, stands, share))
    proposed = next((each for each in best if each.does), None)
    marks = [mark for trial in asked for mark in trial.marks]
    never, contradict = _at_odds(marks, search.patterns)
    return Suggestion(tuple(best), proposed, search.runs, never, contradict)


def _best(
    rig: Rig, trials: Sequence[Trial], strategy: str, tried: Tried, stands: float, share: float | None
) -> Best:  # fmt: skip
    margins = [(margin(verdict, rig), verdict) for verdict in tried.verdicts]
    _, binds = min(margins, key=lambda each: each[0], default=(0.0, None))
    met = sum(verdict.met for verdict in tried.verdicts)
    asked = sum(len(trial.marks) for trial in trials)
    room = tried.room if tried.missed == 0 else 0.0
    return Best(
        strategy, tried.law, met, asked, tried.missed, room, binds, _reserve(rig, tried.law, trials), stands, share
    )


def _reserve(rig: Rig, law: Controller, trials: Sequence[Trial]) -> float | None:
    """The smallest over all stages of the trials; None where there is none to speak of."""
    if not isinstance(law, Pid):
        return None
    try:
        return least_reserve(rig, law, trials).reserve.gain_factor
    except PlantError:
        return None


def _at_odds(
    marks: Sequence[Mark], patterns: set[tuple[bool, ...]]
) -> tuple[tuple[Mark, ...], tuple[tuple[Mark, Mark], ...]]:
    """Marks that no run met, and pairs of which none met both; nothing where some run met all."""
    if any(all(pattern) for pattern in patterns):
        return (), ()
    sometimes = [k for k in range(len(marks)) if any(pattern[k] for pattern in patterns)]
    never = tuple(mark for k, mark in enumerate(marks) if k not in sometimes)
    pairs = itertools.combinations(sometimes, 2)
    apart = [(marks[i], marks[j]) for i, j in pairs if not any(each[i] and each[j] for each in patterns)]
    return never, tuple(apart)


def conclusion(found: Suggestion, scale: Scale) -> str:
    """What comes of it, in a sentence or two: which is proposed, or what stands in the way."""
    if found.proposed is not None:
        best = found.proposed
        off = say("with its settings up to a tenth off it still does in {percent} % of {tries} tries",
                  percent=figures(f"{100 * best.stands:.0f}", ""), tries=TRIES)  # fmt: skip
        return say("The simplest that does is {strategy} ★; {off}.", strategy=best.strategy, off=off)
    said = [
        say(
            "None of them meets all marks with a reserve of gain ×{least} or more.",
            least=figures(f"{LEAST_RESERVE:g}", ""),
        )
    ]
    if found.never:
        said.append(say("No run met {marks}.", marks=" or ".join(_named(mark, scale) for mark in found.never)))
    said += [
        say("No run met both {mark} and {other}.", mark=_named(one, scale), other=_named(other, scale))
        for one, other in found.contradict
    ]
    return " ".join(said)


def _named(mark: Mark, scale: Scale) -> str:
    return f"“{mark.title} {mark.limit_text(scale, short=True)}”"


def missed_text(best: Best) -> str:
    """By how much a best misses marks, in words; empty where it misses none."""
    if best.miss == 0:
        return ""
    if best.miss >= NEVER:
        return say("a measure is not there")
    return say("missed by {miss} % of the limit", miss=three_figures(100 * best.miss))
