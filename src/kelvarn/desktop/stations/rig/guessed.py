"""What of a rig is guessed, the most telling first, each with how it is measured."""

from collections.abc import Callable
from functools import partial

from PySide6.QtWidgets import QVBoxLayout, QWidget

from kelvarn.desktop.fields.plain import CutLink, heading, link, small
from kelvarn.desktop.parts.plain import set_shown
from kelvarn.desktop.state.jobs import Jobs
from kelvarn.model.candidate import Candidate
from kelvarn.model.project import Project
from kelvarn.model.rig import Rig
from kelvarn.model.tolerances import Guess, Parameter, guesses
from kelvarn.model.trial import Trial
from kelvarn.studies.variants import vary
from kelvarn.units import Quantity, Scale, show

from .keys import SURROUNDINGS, key_of

_VARIANTS = 96
_CHANNEL = "rig: guesses"
_FIRST = 3  # that are shown before somebody asks for all
_KINDS = {"links": "link", "drives": "drive", "probes": "probe", "draw_offs": "draw_off"}


def shown_value(rig: Rig, parameter: Parameter) -> str:
    """The value of a parameter with its unit."""
    part = rig
    for step in parameter.path[:-1]:
        part = part[step] if isinstance(step, int) else getattr(part, step)  # type: ignore[index]
    extra = type(part).model_fields[str(parameter.path[-1])].json_schema_extra
    quantity = Quantity(str(extra["quantity"])) if isinstance(extra, dict) else Quantity.NUMBER
    scale = Scale.CELSIUS if rig.unit is None else Scale(rig.unit, own=True)
    return show(parameter.value, quantity, scale)


def ordered(found: list[Guess], project: Project, candidate: Candidate, trial: Trial) -> list[tuple[Guess, float]]:
    """Guesses by what they do to the marks, by variants of the rig, with that index, 0…1; the most first."""
    index: dict[tuple[str | int, ...], float] = {}
    *_, variants = vary(project.rig, candidate.controller, trial, _VARIANTS)
    for each in variants.influences:
        index[each.parameter.path] = max(index.get(each.parameter.path, 0.0), each.index)
    rated = [(guess, index.get(guess.parameter.path, 0.0)) for guess in found]
    return sorted(rated, key=lambda each: -each[1])


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
        column.addWidget(heading("Guessed: measure this first"))
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
            self._jobs.start(_CHANNEL, lambda: ordered(found, project, candidate, trial),
                             partial(self._take, project.rig))  # fmt: skip

    def _unfold(self) -> None:
        self._most = _FIRST if self._most > _FIRST else len(self._rated)
        self._show(self._rated, self._rig)

    def _take(self, rig: Rig, found: object) -> None:
        if isinstance(found, list):
            self._show(found, rig)

    def _show(self, rated: list[tuple[Guess, float]], rig: Rig) -> None:
        while (item := self._rows.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.hide()
                widget.deleteLater()
        self.lines, self._rated, self._rig = [], rated, rig
        set_shown(self.more, len(rated) > _FIRST)
        self.more.setText("fewer" if self._most > _FIRST else f"all {len(rated)} …")
        for guess, index in rated[: self._most]:
            parameter = guess.parameter
            size = f"{parameter.size:g} K" if parameter.in_kelvins else f"{100 * parameter.size:.0f} %"
            line = CutLink(f"{parameter.text} {shown_value(rig, parameter)} ±{size}")
            line.clicked.connect(lambda _=False, path=parameter.path: self._select(_key(rig, path)))
            self.lines.append(line)
            self._rows.addWidget(line)
            weight = "matters most" if rated and index and guess is rated[0][0] else ""
            self._rows.addWidget(small(f"{guess.measure}{f' · {weight}' if weight else ''}"))


def _key(rig: Rig, path: tuple[str | int, ...]) -> str:
    """The part that a parameter is of."""
    kind = str(path[0])
    if kind == "surroundings":
        return SURROUNDINGS
    if kind in ("response", "bodies"):
        return rig.body_names[int(path[1]) if kind == "bodies" else 0]
    return key_of(_KINDS[kind], int(path[1]))
