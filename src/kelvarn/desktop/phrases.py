"""The live phrases of the line: where each station and the file stand."""

from datetime import UTC, datetime

from kelvarn.engine.steady import oddities
from kelvarn.model.drives import heated_body
from kelvarn.model.project import Project
from kelvarn.units import Quantity, counted, show

from .document import Document
from .line import Station
from .runner import Runner
from .view import View


def station_phrases(project: Project, runner: Runner, view: View) -> list[Station]:
    """The stations that work today, with a phrase each."""
    rig = project.rig
    power = show(sum(d.power_W for d in rig.drives if heated_body(d) is not None) or rig.drive.power_W, Quantity.POWER)
    what = counted(len(rig.all_bodies), "body", "bodies") if rig.response is None else "response model"
    return [
        Station("Rig", f"{what}, {power}", "look" if oddities(rig) else "fine"),
        _control(project, runner, view),
        _handover(project, runner),
    ]


def _control(project: Project, runner: Runner, view: View) -> Station:
    if runner.preparing:
        return Station("Control", "preparing, first start only", "begin")
    if runner.faults:
        return Station("Control", f"{len(runner.faults)} cannot be computed", "look")
    candidates = counted(len(project.candidates), "candidate")
    name = project.chosen or view.candidate(project).name
    result = runner.result_of(name)
    if result is None or not result.verdicts:
        return Station("Control", candidates, "begin")
    met, asked = result.met, len(result.verdicts)
    return Station("Control", f"{candidates}, {met} of {asked} marks met", "fine" if met == asked else "look")


def _handover(project: Project, runner: Runner) -> Station:
    if project.chosen is None:
        return Station("Handover", "choose a candidate first", "begin")
    result = runner.result_of(project.chosen)
    fine = result is not None and result.met == len(result.verdicts) and project.chosen not in runner.faults
    return Station("Handover", f"{project.chosen} to hand over", "fine" if fine else "look")


def saved_phrase(document: Document) -> str:
    """Whether and where the project is saved."""
    if document.path is None:
        return "never saved" if document.dirty else "not saved yet"
    if document.dirty:
        return f"{document.path.name}, changed"
    try:
        saved = datetime.fromtimestamp(document.path.stat().st_mtime, UTC)
    except OSError:
        return f"{document.path.name} is gone"
    minutes = int((datetime.now(UTC) - saved).total_seconds() // 60)
    if minutes < 1:
        return "saved just now"
    return f"saved {minutes} min ago" if minutes < 120 else f"saved {saved.astimezone():%d %b %H:%M}"
