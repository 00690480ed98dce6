"""“Start from …”: every rule's settings for the rig, with how each does on the trial; a click makes a candidate."""

from collections.abc import Callable

from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import (
    QAbstractItemView,
    QFrame,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from kelvarn.desktop import theme
from kelvarn.desktop.fields.plain import heading
from kelvarn.desktop.jobs import Jobs
from kelvarn.desktop.plain import Label, plain_tip
from kelvarn.engine.prepare import RunError
from kelvarn.model.candidate import Candidate
from kelvarn.model.project import Project
from kelvarn.model.trial import Trial
from kelvarn.tune.plant import FirstOrder, Plant, PlantError
from kelvarn.tune.rules import Gains
from kelvarn.tune.starts import Tried, plant_of_project, try_all
from kelvarn.units import Quantity, Scale, minutes, show

_CHANNEL = "start from"
_COLUMNS = ("rule", "terms", "settings", "over", "settles", "marks")
_WIDTHS, _ROW, _SIZE = (325, 52, 275, 70, 76, 70), 24, (920, 470)  # px
_Found = tuple[Plant, list[Tried]] | str


class StartFrom(QFrame):
    """The list, computed beside the window.

    Args:
        project, trial, scale: what it is for.
        jobs: computes.
        take: given the candidate that was clicked.
        parent: over which it stands.
    """

    def __init__(
        self, project: Project, trial: Trial, scale: Scale, jobs: Jobs, take: Callable[[Candidate], object],
        parent: QWidget,
    ) -> None:  # fmt: skip
        super().__init__(parent, Qt.WindowType.Popup)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setProperty("card", True)
        self._scale, self._jobs, self._take = scale, jobs, take
        self._tried: list[Tried] = []
        self._said = Label("computing …")
        self._said.setFont(theme.font("small"))
        self._said.setProperty("role", "muted")
        self._said.setWordWrap(True)
        self.table = QTableWidget(0, len(_COLUMNS))
        self.table.setAccessibleName("Starting points")
        self.table.setHorizontalHeaderLabels(list(_COLUMNS))
        self.table.verticalHeader().hide()
        self.table.setShowGrid(False)
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.table.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.table.verticalHeader().setDefaultSectionSize(_ROW)
        self.table.horizontalHeader().setStretchLastSection(True)
        self.table.cellClicked.connect(lambda row, _: self.use(row))
        self.table.cellActivated.connect(lambda row, _: self.use(row))
        layout = QVBoxLayout(self)
        layout.addWidget(heading("Start from"))
        layout.addWidget(self._said)
        layout.addWidget(self.table)
        self.resize(*_SIZE)
        jobs.start(_CHANNEL, lambda: _compute(project, trial), self._show)

    def popup(self, beside: QPoint) -> None:
        """Show it left of a point, inside the screen."""
        area = self.screen().availableGeometry()
        x = min(max(beside.x() - self.width(), area.left()), area.right() - self.width())
        y = min(max(beside.y(), area.top()), area.bottom() - self.height())
        self.move(x, y)
        self.show()
        self.table.setFocus()

    def closeEvent(self, event: object) -> None:
        self._jobs.stop(_CHANNEL)
        super().closeEvent(event)  # type: ignore[arg-type]

    def _show(self, outcome: object) -> None:
        found: _Found = outcome  # type: ignore[assignment]
        if isinstance(found, str):
            self._said.setText(found)
            return
        plant, self._tried = found
        self._said.setText(f"{_plant_text(plant, self._scale)} A click makes a candidate. Each was run on this trial.")
        self.table.setRowCount(len(self._tried))
        for row, tried in enumerate(self._tried):
            for column, text in enumerate(_cells(tried, self._scale)):
                item = QTableWidgetItem(text)
                item.setToolTip(plain_tip(tried.start.source))
                if tried.result is None:
                    item.setForeground(theme.current().color("muted"))
                self.table.setItem(row, column, item)
            if tried.result is None:  # its reason takes the room of the figures
                self.table.setSpan(row, 2, 1, len(_COLUMNS) - 2)
        for column, width in enumerate(_WIDTHS):
            self.table.setColumnWidth(column, width)
        if self._tried:
            self.table.setCurrentCell(0, 0)

    def use(self, row: int) -> None:
        """Make the candidate of a row; nothing for a rule that gives none."""
        candidate = self._tried[row].candidate if row < len(self._tried) else None
        if candidate is not None:
            self._take(candidate)
            self.close()


def _compute(project: Project, trial: Trial) -> _Found:
    try:
        plant = plant_of_project(project, trial)
        return plant, try_all(project, trial, plant)
    except (RunError, PlantError) as error:
        return str(error)


def _plant_text(plant: Plant, scale: Scale) -> str:
    delay = show(plant.dead_time_s, Quantity.DURATION)
    if isinstance(plant, FirstOrder):
        gain = show(plant.gain_K, Quantity.DIFFERENCE, scale)
        return (
            f"Read off the open-loop step: gain {gain}, lag {show(plant.lag_s, Quantity.DURATION)}, dead time {delay}."
        )
    return f"Read off the open-loop step: rises {show(plant.rise_K_per_s, Quantity.RAMP, scale)}, dead time {delay}."


def gains_text(gains: Gains, scale: Scale) -> str:
    """Settings in a few words."""
    parts = [show(gains.kp_per_K, Quantity.GAIN, scale)]
    for name, value in (("Ti", gains.ti_s), ("Td", gains.td_s)):
        if value is not None:
            parts.append(f"{name} {show(value, Quantity.DURATION)}")
    return ", ".join(parts)


def _cells(tried: Tried, scale: Scale) -> tuple[str, ...]:
    start = tried.start
    if tried.result is None or start.gains is None:
        return start.rule, start.terms, f"not applicable: {tried.reason}"
    values = tried.result.measures.main.values
    over, settled = values.get("overshoot_K"), values.get("settling_s")
    return (
        start.rule, start.terms, gains_text(start.gains, scale),
        "–" if over is None else show(over, Quantity.DIFFERENCE, scale),
        "never" if settled is None else minutes(settled),
        f"{tried.result.met} of {len(tried.result.verdicts)}",
    )  # fmt: skip
