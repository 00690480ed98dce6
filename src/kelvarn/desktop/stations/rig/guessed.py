"""What of a rig is guessed, the most telling first, each with how it is measured."""

from collections.abc import Callable
from functools import partial

from PySide6.QtWidgets import QVBoxLayout, QWidget

from kelvarn.desktop.fields.plain import CutLink, heading, link, small
from kelvarn.desktop.language import tell
from kelvarn.desktop.parts.plain import clear, set_shown
from kelvarn.desktop.state.jobs import Jobs
from kelvarn.model.candidate import Candidate
from kelvarn.model.project import Project
from kelvarn.model.rig import Rig
from kelvarn.model.tolerances import Guess, guesses
from kelvarn.model.trial import Trial
from kelvarn.studies.guesses import by_what_they_do, size_text, value_text

from .keys import SURROUNDINGS, key_of

_CHANNEL = "rig: guesses"
_FIRST = 3  # that are shown before somebody asks for all
_KINDS = {"links": "link", "drives": "drive", "probes": "probe", "draw_offs": "draw_off"}


class GuessedList(QWidget):
    """The list; hidden where nothing is guessed.

    Args:
        jobs: what orders it.
        select: told the key of the part that a click is about.
    """

    def __init__(self, jobs: Jobs, select: Callable[[str], object]) -> None:
        super().__init__()
        self._jobs, self._select = jobs, select
        self._of: object = None
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 10)
        column.setSpacing(2)
        column.addWidget(heading(tell("Guessed: measure this first")))
        self._rows = QVBoxLayout()
        self._rows.setSpacing(1)
        column.addLayout(self._rows)
        self.more = link("", self._unfold)
        column.addWidget(self.more)
        self.lines: list[CutLink] = []
        self._rated: list[tuple[Guess, float]] = []
        self._most = _FIRST

    def refresh(self, project: Project, candidate: Candidate, trial: Trial) -> None:
        """Show what is guessed of a project, and have it ordered."""
        found = guesses(project.rig)
        set_shown(self, bool(found))
        subject = (project.rig, candidate.controller, trial)
        if not found or subject == self._of:
            return
        self._of = subject
        self._show([(guess, 0.0) for guess in found], project.rig)
        if trial.marks:
            self._jobs.start(_CHANNEL, lambda: by_what_they_do(found, project, candidate, trial),
                             partial(self._take, project.rig))  # fmt: skip

    def _unfold(self) -> None:
        self._most = _FIRST if self._most > _FIRST else len(self._rated)
        self._show(self._rated, self._rig)

    def _take(self, rig: Rig, found: object) -> None:
        if isinstance(found, list):
            self._show(found, rig)

    def _show(self, rated: list[tuple[Guess, float]], rig: Rig) -> None:
        clear(self._rows)
        self.lines, self._rated, self._rig = [], rated, rig
        set_shown(self.more, len(rated) > _FIRST)
        self.more.setText(tell("fewer") if self._most > _FIRST else tell("all {count} …", count=len(rated)))
        for guess, index in rated[: self._most]:
            parameter = guess.parameter
            line = CutLink(tell("{parameter} {value} {size}", parameter=parameter.text,
                                value=value_text(rig, parameter), size=size_text(parameter)))  # fmt: skip
            line.clicked.connect(lambda _=False, path=parameter.path: self._select(_key(rig, path)))
            self.lines.append(line)
            self._rows.addWidget(line)
            weight = tell("matters most") if rated and index and guess is rated[0][0] else ""
            self._rows.addWidget(small(f"{tell(guess.measure)}{f' · {weight}' if weight else ''}"))


def _key(rig: Rig, path: tuple[str | int, ...]) -> str:
    """The part that a parameter is of."""
    kind = str(path[0])
    if kind == "surroundings":
        return SURROUNDINGS
    if kind in ("response", "bodies"):
        return rig.body_names[int(path[1]) if kind == "bodies" else 0]
    return key_of(_KINDS[kind], int(path[1]))
