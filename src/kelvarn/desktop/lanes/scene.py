"""What a strip shows: a trial, and the candidates with their results on it."""

from dataclasses import dataclass

from kelvarn.desktop.language import tell
from kelvarn.desktop.state.document import Document
from kelvarn.desktop.state.runner import Runner
from kelvarn.desktop.strip.lane import Ribbon, ValueAxis
from kelvarn.engine.run import Run
from kelvarn.model.candidate import Candidate
from kelvarn.model.project import Project
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Trial
from kelvarn.studies.results import Result
from kelvarn.units import Quantity, Scale

from .edits import Drags


@dataclass(frozen=True, eq=False)
class CandidateEntry:
    """A candidate with its result.

    Attributes:
        candidate, result: as computed; `result` None while there is none.
        index: place in the list; gives colour and dash.
        chosen: it goes to the device.
        stale: the result is of an earlier state, since the present one cannot be computed.
    """

    candidate: Candidate
    result: Result | None
    index: int
    chosen: bool
    stale: bool


def entries(document: Document, runner: Runner) -> list[CandidateEntry]:
    """All candidates with their results."""
    project = document.project
    faults = runner.faults
    return [
        CandidateEntry(c, runner.result_of(c.name), k, c.name == project.chosen, c.name in faults)
        for k, c in enumerate(project.candidates)
    ]


@dataclass(frozen=True, eq=False)
class LaidOver:
    """A run that is no candidate's, with what it is called and the place in the list whose look it has."""

    name: str
    run: Run
    index: int


@dataclass(frozen=True, eq=False)
class Scene:
    """What lanes are made of.

    Attributes:
        project, trial, scale: what is shown, and in what.
        shown: candidates that are not hidden.
        selected: the one that labels, error fill and drive lanes are about; None where there is none.
        drags: makes edits of drags; None where nothing can be dragged.
        laid_over: runs to be seen beside the candidates'.
        safety: levels of trips and alarms are shown on the temperature, and can be dragged there.
        ribbon: what most variants of the selected candidate's rig do.
    """

    project: Project
    trial: Trial
    scale: Scale
    shown: tuple[CandidateEntry, ...]
    selected: CandidateEntry | None
    drags: Drags | None = None
    laid_over: tuple[LaidOver, ...] = ()
    safety: bool = False
    ribbon: Ribbon | None = None

    @property
    def result(self) -> Result | None:
        """Result of the selected candidate."""
        return self.selected.result if self.selected is not None else None

    @property
    def axis(self) -> ValueAxis:
        """Axis of what is controlled."""
        return ValueAxis(Quantity.TEMPERATURE, self.scale)


def scene_of(
    project: Project, trial: Trial, scale: Scale, found: list[CandidateEntry], selected: str,
    drags: Drags | None = None, laid_over: tuple[LaidOver, ...] = (),
) -> Scene:  # fmt: skip
    """The scene of a project's candidates; hidden ones are left out, and all others where runs are laid over one."""
    shown = tuple(e for e in found if e.candidate.name == selected or not (e.candidate.hidden or laid_over))
    chosen = next((e for e in shown if e.candidate.name == selected), None)
    return Scene(project, trial, scale, shown, chosen, drags, laid_over)


def quantity_name(rig: Rig, scale: Scale, temperature: str) -> str:
    """What an axis is of: the temperature as it is called there, or the quantity that the rig is about."""
    if scale.own and rig.response is not None:
        return f"{rig.response.name}, {scale.value}"
    return f"{tell(temperature)}, {scale.value}"
