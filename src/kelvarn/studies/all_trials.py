"""Every candidate on every trial: how many of the marks are met; one candidate on all: results and failures."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from kelvarn.engine.prepare import RunError
from kelvarn.engine.run import Stopped
from kelvarn.model.candidate import Controller
from kelvarn.model.project import Project
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Trial

from .batch import Case, run_many
from .failures import FailureTable, failure_table
from .results import Result, result_of


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


def results_of_all(
    rig: Rig, controller: Controller, trials: Sequence[Trial], go_on: Callable[[float], bool] = lambda _: True
) -> dict[str, Result | str]:
    """The result on each trial by its name, or why there is none.

    Args:
        rig, controller, trials: what runs.
        go_on: asked before each with the share that is done; False stops.

    Raises:
        Stopped: it was stopped.
    """
    found: dict[str, Result | str] = {}
    for k, trial in enumerate(trials):
        if not go_on(k / len(trials)):
            raise Stopped
        try:
            found[trial.name] = result_of(rig, controller, trial)
        except RunError as error:
            found[trial.name] = str(error)
    return found


def failures_of_all(
    rig: Rig, controller: Controller, trials: Sequence[Trial], go_on: Callable[[float], bool] = lambda _: True
) -> dict[str, FailureTable | str]:
    """The failure table of each trial by its name, or why there is none; arguments as for `results_of_all`."""
    found: dict[str, FailureTable | str] = {}
    for trial in trials:
        try:
            found[trial.name] = failure_table(rig, controller, trial, go_on)
        except RunError as error:
            found[trial.name] = str(error)
    return found
