"""Every candidate on every trial: how many of the marks are met."""

from collections.abc import Callable
from dataclasses import dataclass

from kelvarn.model.project import Project

from .batch import Case, run_many


@dataclass(frozen=True)
class Met:
    """How many marks are met of how many."""

    met: int
    asked: int


def marks_met(project: Project, go_on: Callable[[], bool] = lambda: True) -> dict[tuple[str, str], Met | str]:
    """Marks met, by the names of candidate and trial; a sentence where it cannot be run.

    Args:
        project: what is run.
        go_on: asked between runs; False stops.

    Raises:
        Stopped: it was stopped.
    """
    pairs = [(candidate, trial) for trial in project.trials for candidate in project.candidates]
    cases = [Case(None, project.rig, candidate.controller, trial) for candidate, trial in pairs]
    return {
        (candidate.name, trial.name): result.fault
        if result.measures is None
        else Met(sum(verdict.met for verdict in result.verdicts), len(result.verdicts))
        for (candidate, trial), result in zip(pairs, run_many(cases, go_on), strict=True)
    }
