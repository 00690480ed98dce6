"""Two candidates beside each other: only what differs, of settings and of results. Kept runs count as well."""

from typing import NamedTuple

from PySide6.QtWidgets import (
    QHBoxLayout,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from kelvarn.desktop import theme
from kelvarn.desktop.fields.plain import Choice, heading
from kelvarn.desktop.language import tell
from kelvarn.desktop.parts.plain import PlainLabel, plain_tip
from kelvarn.desktop.parts.popup import Popup
from kelvarn.desktop.parts.table import ReadTable
from kelvarn.desktop.state.runner import Runner
from kelvarn.handover.settings import settings_rows
from kelvarn.model.candidate import Candidate
from kelvarn.model.mark import MEASURES
from kelvarn.model.project import Project
from kelvarn.units import Scale, counted, show

_SIZE = (640, 460)
_COLUMNS = (("", 210), ("", 190), ("", 190))


class Side(NamedTuple):
    """What stands on one side: its settings and results as they are said, by what they are."""

    name: str
    settings: dict[str, str]
    results: dict[str, str]


class Difference(NamedTuple):
    """A line in which both differ."""

    what: str
    one: str
    other: str
    of_results: bool


def sides_of(project: Project, runner: Runner, scale: Scale) -> list[Side]:
    """All candidates with their results, then all kept runs."""
    found = []
    for candidate in project.candidates:
        result = runner.result_of(candidate.name)
        figures = {} if result is None else result.measures.main.values | result.measures.values
        said = _figures(figures, scale)
        if result is not None:
            for body, degC in result.measures.hottest_degC.items():
                said[f"{scale.words.highest.capitalize()}: {body}"] = show(
                    degC, MEASURES["hottest_degC"].quantity, scale
                )
            for verdict in result.verdicts:
                said[f"Mark: {verdict.mark.title}"] = "met" if verdict.met else tell("not met")
        found.append(Side(candidate.name, _settings(project, candidate, scale), said))
    for kept in project.kept:
        as_candidate = Candidate(name=kept.name, controller=kept.controller)
        figures = {figure.measure: figure.value for figure in kept.figures}
        found.append(
            Side(
                tell("{kept} (kept)", kept=kept.name), _settings(project, as_candidate, scale), _figures(figures, scale)
            )
        )
    return found


def _settings(project: Project, candidate: Candidate, scale: Scale) -> dict[str, str]:
    rows = settings_rows(candidate, scale, cools=project.rig.way.cools)
    return {"Strategy": candidate.strategy} | {row.what: row.value for row in rows}


def _figures(figures: dict[str, float | None], scale: Scale) -> dict[str, str]:
    return {
        MEASURES[key].title: "none" if value is None else show(value, MEASURES[key].quantity, scale)
        for key, value in figures.items()
        if key in MEASURES
    }


def differences(one: Side, other: Side) -> list[Difference]:
    """Only what differs, settings first."""
    found = []
    for of_results, (a, b) in enumerate(((one.settings, other.settings), (one.results, other.results))):
        for what in dict.fromkeys((*a, *b)):
            left, right = a.get(what, "–"), b.get(what, "–")
            if left != right:
                found.append(Difference(what, left, right, bool(of_results)))
    return found


class Compare(Popup):
    """The list, over the window.

    Args:
        sides: what there is to choose from, two at least.
        first, second: places of those compared at first.
        parent: over which it stands.
    """

    def __init__(self, sides: list[Side], first: int, second: int, parent: QWidget) -> None:
        super().__init__(parent)
        self._sides = sides
        self.boxes = (Choice(), Choice())
        head = QHBoxLayout()
        head.addWidget(heading(tell("What differs")), 1)
        for box, place, name in zip(self.boxes, (first, second), (tell("One"), tell("The other")), strict=True):
            for side in sides:
                box.addItem(side.name)
            box.setCurrentIndex(place)
            box.setAccessibleName(tell("{name} of two to compare", name=name))
            box.setFixedWidth(_COLUMNS[1][1])
            box.activated.connect(lambda _: self._fill())
            head.addWidget(box)
        self.table = ReadTable(tell("What differs"), len(_COLUMNS))
        self.table.verticalHeader().hide()
        self.table.horizontalHeader().hide()
        self.table.horizontalHeader().setStretchLastSection(True)
        for column, (_, width) in enumerate(_COLUMNS):
            self.table.setColumnWidth(column, width)
        self.says = PlainLabel()
        self.says.setProperty("role", "muted")
        layout = QVBoxLayout(self)
        layout.addLayout(head)
        layout.addWidget(self.table, 1)
        layout.addWidget(self.says)
        self.resize(*_SIZE)
        self._fill()

    def _fill(self) -> None:
        one, other = (self._sides[box.currentIndex()] for box in self.boxes)
        found = differences(one, other)
        self.table.setRowCount(len(found))
        for row, each in enumerate(found):
            for column, text in enumerate((each.what, each.one, each.other)):
                item = QTableWidgetItem(text)
                item.setToolTip(plain_tip(text))
                if column == 0:
                    item.setForeground(theme.current().color("muted"))
                self.table.setItem(row, column, item)
        settings = sum(not each.of_results for each in found)
        said = tell("{settings} and {results} differ", settings=counted(settings, "setting"),
                    results=counted(len(found) - settings, "result"))  # fmt: skip
        self.says.setText(said if found else tell("They do not differ."))
