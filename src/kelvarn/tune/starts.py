"""Starting points for a project: every rule's settings as a candidate, and how each does on a trial."""

from collections.abc import Callable
from dataclasses import dataclass, replace

from pydantic import ValidationError

from kelvarn.engine.prepare import RunError
from kelvarn.engine.run import current_go_on
from kelvarn.engine.step import StepResponse, open_loop, usual_drive
from kelvarn.model.candidate import Candidate
from kelvarn.model.law import Way
from kelvarn.model.pid import Pid
from kelvarn.model.project import Project
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Trial
from kelvarn.sentence import say
from kelvarn.studies.results import Result, Results

from .first_tries import FirstTry, first_tries
from .process import Plant, PlantError, plant_of
from .reserve import least_reserve, ultimate_of
from .rules import Starting, starting_points
from .ultimate import Ultimate

_HEATS = Way(1)


@dataclass(frozen=True, eq=False)
class TriedStart:
    """A starting point that was run.

    Attributes:
        start: the rule and what it gives, or what else it goes by.
        candidate: its settings as a candidate; None where the rule does not apply or its settings are out of range.
        result: how it does on the trial; None where it cannot be run.
        reason: why there is no candidate or no result; empty where there are both.
    """

    start: Starting | FirstTry
    candidate: Candidate | None
    result: Result | None
    reason: str


def plant_of_project(project: Project, trial: Trial) -> Plant:
    """What the open-loop step of a project's rig is read as, from cold, at the usual drive for a trial's setpoint.

    Raises:
        RunError: the step cannot be computed.
        PlantError: it cannot be read.
    """
    return plant_of(step_of_project(project, trial).reading)


def step_of_project(project: Project, trial: Trial) -> StepResponse:
    """That step. Raises RunError where it cannot be computed."""
    return open_loop(project.rig, usual_drive(project.rig, trial.plan.last_degC), "cold")


def ultimate_of_rig(rig: Rig, trial: Trial) -> Ultimate | None:
    """The ultimate point of a rig near a trial's setpoint; None where it has none."""
    try:
        return ultimate_of(rig, trial.plan.last_degC)
    except PlantError:
        return None


def usable(start: Starting | FirstTry, rig: Rig, trial: Trial) -> Starting | FirstTry:
    """A starting point, or why its settings are none for this rig: they would oscillate from the start.

    Args:
        start: what a rule gives.
        rig, trial: the rig itself, sampled as it is, and the setpoints at which it is asked.
    """
    made = candidate_of(start, rig.way)
    if not isinstance(start, Starting) or made is None or not isinstance(made.controller, Pid):
        return start
    try:
        stands = least_reserve(rig, made.controller, (trial,)).reserve.gain_factor
    except PlantError:
        return start
    if stands is None or stands > 1:
        return start
    return replace(start, gains=None, reason=f"it would oscillate: this rig stands ×{stands:.2g} of its gain")


def candidate_of(start: Starting | FirstTry, way: Way = _HEATS) -> Candidate | None:
    """A starting point as a candidate, gains rounded to four figures; None where they are out of range or none.

    Args:
        start: what a rule gives, or a first try.
        way: which way the drives of its rig go.
    """
    if isinstance(start, FirstTry):
        made = start.controller
        return None if made is None else Candidate(name=f"{start.strategy}, {start.rule}"[:60], controller=made)
    if start.gains is None:
        return None
    found = {name: float(f"{value:.4g}") for name, value in start.gains._asdict().items() if value is not None}
    try:
        controller = Pid.model_validate({**found, "terms": start.terms, "low": -1.0 if way.both else 0.0})
        return Candidate(name=f"{start.terms}, {start.rule}"[:60], controller=controller)
    except ValidationError:
        return None


def try_all(
    project: Project, trial: Trial, plant: Plant, tell: Callable[[float], object] | None = None
) -> list[TriedStart]:
    """Every rule and first try on a trial; those that meet most marks first, then those that overshoot least.

    Args:
        project, trial: what is tuned for.
        plant: as its open-loop step was read.
        tell: told the share of them that is done.

    Raises:
        Stopped: it was stopped.
    """
    results, found = Results(most_bytes=0), list[TriedStart]()
    starts: list[Starting | FirstTry] = [*starting_points(plant, ultimate_of_rig(project.rig, trial))]
    starts += first_tries(project, trial, plant)
    for k, start in enumerate(starts):
        found.append(_try(project, trial, usable(start, project.rig, trial), results))
        results.clear()  # of each only what is told of it is kept
        if tell is not None:
            tell((k + 1) / len(starts))
    return sorted(found, key=_order)


def _try(project: Project, trial: Trial, start: Starting | FirstTry, results: Results) -> TriedStart:
    candidate = candidate_of(start, project.rig.way)
    if candidate is None:
        return TriedStart(start, None, None, start.reason or say("its settings are out of range"))
    try:
        result = results.of(project.rig, candidate, trial, current_go_on())
    except RunError as error:
        return TriedStart(start, candidate, None, str(error))
    return TriedStart(start, candidate, Result(result.run.thinned(500), result.measures, result.verdicts), "")


def _order(tried: TriedStart) -> tuple[bool, int, float]:
    if tried.result is None:
        return True, 0, 0.0
    return False, -tried.result.met, tried.result.measures.main.values.get("overshoot_K") or 0.0
