"""What is still open before power is applied: told on every sheet, and never left out because it was not looked at."""

from collections.abc import Mapping
from dataclasses import dataclass

from kelvarn.model.guards import Alarm, CutOff, LinkLost, ProbeFaultAction, Restart
from kelvarn.model.project import Project
from kelvarn.sentence import say
from kelvarn.studies.failures import FailureTable
from kelvarn.studies.results import Result
from kelvarn.units import Scale

_COLD_DEGC, _HOT_DEGC = -200.0, 2000.0  # a range that reaches beyond both is nobody's


@dataclass(frozen=True)
class Open:
    """An open point.

    Attributes:
        text: what is open.
        forbids: the machine is not to be used while it is.
        who: who closes it.
    """

    text: str
    forbids: bool
    who: str


def open_points(
    project: Project,
    results: Mapping[str, Result | str],
    failures: Mapping[str, FailureTable | str],
    scale: Scale,
) -> list[Open]:
    """What is open of a project, what forbids its use first.

    Args:
        project: the project.
        results: of the candidate on each trial, or why there is none; a trial that is not among them was not run.
        failures: its failure table on each trial, or why there is none; likewise.
        scale: that the sentences speak in.
    """
    found = [*_of_guards(project), *_of_failures(project, failures, scale), *_of_marks(project, results)]
    return sorted(found, key=lambda point: not point.forbids)


def _of_guards(project: Project) -> list[Open]:
    guards, found = project.rig.guards, []
    cut_offs = [guard.name for guard in guards if isinstance(guard, CutOff)]
    if "cut_off" not in project.seen_to:
        switch = say("thermal cut-off") if project.rig.unit is None else say("cut-off that needs no software")
        said = (
            say("{switch} {cut_offs} not seen to act", switch=switch, cut_offs=", ".join(cut_offs))
            if cut_offs
            else say("no {switch} fitted", switch=switch)
        )
        found.append(Open(said, True, "builder"))
    if not any(isinstance(guard, ProbeFaultAction) for guard in guards):
        found.append(Open(say("no action set for a failed probe"), True, "builder"))
    if "outputs_alone" not in project.seen_to:
        found.append(Open(say("outputs not tried alone"), False, "builder"))
    for kind, said in (
        (LinkLost, say("nothing watches the controller (watchdog)")),
        (Restart, say("nothing set for after a power cut")),
        (Alarm, say("no alarm")),
    ):
        if not any(isinstance(guard, kind) for guard in guards):
            found.append(Open(said, False, "builder"))
    for probe in project.rig.probes:
        if probe.lowest_degC <= _COLD_DEGC and probe.highest_degC >= _HOT_DEGC:
            said = say("the range of {name} is so wide that no fault is seen: set it to what can be", name=probe.name)
            found.append(Open(said, False, "builder"))
    unlimited = [body.name for body in project.rig.all_bodies if body.limit_degC is None]
    if unlimited:
        found.append(Open(say("no limit known: {bodies}", bodies=", ".join(unlimited)), False, "designer"))
    return found


def _of_failures(project: Project, failures: Mapping[str, FailureTable | str], scale: Scale) -> list[Open]:
    found = []
    for trial in project.trials:
        table = failures.get(trial.name)
        if table is None:
            found.append(Open(say("failures on “{name}” not tried", name=trial.name), True, "designer"))
        elif isinstance(table, str):
            found.append(
                Open(
                    say("failures on “{name}” could not be tried: {why}", name=trial.name, why=table),
                    True,
                    "designer",
                )
            )
        elif table.passed:
            said = say(
                "{passed} of {rows} single failures on “{name}” pass a limit",
                passed=table.passed,
                rows=len(table.rows),
                name=trial.name,
            )
            found.append(Open(said, True, "designer"))
        elif not table.safe:
            said = say("failures on “{name}”: {verdict}", name=trial.name, verdict=table.verdict(scale))
            found.append(Open(said, not table.limited, "designer"))  # without any limit nothing is known to be safe
    return found


def _of_marks(project: Project, results: Mapping[str, Result | str]) -> list[Open]:
    found = []
    for trial in project.trials:
        result = results.get(trial.name)
        if result is None:
            found.append(Open(f"“{trial.name}” not run", False, "designer"))
        elif isinstance(result, str):
            found.append(Open(f"“{trial.name}” could not be run: {result}", False, "designer"))
        else:
            if not result.verdicts:
                found.append(Open(f"no marks are set on “{trial.name}”", False, "designer"))
            missed = [verdict.mark.title for verdict in result.verdicts if not verdict.met]
            if missed:
                found.append(Open(f"missed on “{trial.name}”: {', '.join(missed)}", False, "designer"))
            if result.measures.ended is not None:
                guard, _ = result.measures.ended
                found.append(Open(f"“{trial.name}” was ended by {guard}", True, "designer"))
    return found
