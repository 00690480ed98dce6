"""Two versions of a project side by side: what differs, and what comes of it."""

from collections.abc import Callable, Iterable

from PySide6.QtWidgets import QDialog, QDialogButtonBox, QTableWidgetItem, QVBoxLayout, QWidget

from kelvarn.desktop.fields.plain import heading, small
from kelvarn.desktop.language import tell
from kelvarn.desktop.parts.table import ReadTable
from kelvarn.desktop.state.jobs import Jobs
from kelvarn.files.comparing import differences
from kelvarn.model.project import Project
from kelvarn.studies.versions import results_that_differ
from kelvarn.units import counted

_CHANNEL = "versions"
_RUNS = ("rig", "settings", "trials")
"""Areas from which something comes."""


class VersionsDialog(QDialog):
    """What differs between the project here and another version, by where it stands; below it what comes of that.

    Args:
        parent, jobs: over what, and what runs both.
        here, there: the two.
        name: what the other one is called.
    """

    def __init__(self, parent: QWidget, jobs: Jobs, here: Project, there: Project, name: str) -> None:
        super().__init__(parent)
        self.setWindowTitle(tell("Two versions"))
        self._jobs = jobs
        found = differences(there, here)
        column = QVBoxLayout(self)
        column.addWidget(
            heading(
                tell(
                    "From “{name}” to the project here: {differences}",
                    name=name,
                    differences=counted(len(found), "difference"),
                )
            )
        )
        self.table = _table(tell("What differs"), (tell("Of"), tell("Where"), name, tell("here")))
        _fill(self.table, ((each.area, each.where, each.one or "–", each.other or "–") for each in found))
        column.addWidget(self.table, 2)
        self.said = small("")
        column.addWidget(self.said)
        self.results = _table(
            tell("What comes of it"), (tell("Candidate"), tell("Trial"), tell("Measure"), name, tell("here"))
        )
        column.addWidget(self.results, 1)
        self.foot = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        self.foot.rejected.connect(self.reject)
        column.addWidget(self.foot)
        self.resize(900, 560)
        self.finished.connect(lambda _: jobs.stop(_CHANNEL))
        if any(each.area in _RUNS for each in found):
            self.said.setText(tell("What comes of it is computed …"))
            jobs.start(_CHANNEL, lambda: results_that_differ(there, here), self._take)
        else:
            self.said.setText(tell("Nothing that runs differs."))

    def offer(self, text: str, work: Callable[[], object]) -> None:
        """A button at the foot that does something and closes it."""
        button = self.foot.addButton(text, QDialogButtonBox.ButtonRole.ActionRole)
        button.clicked.connect(lambda: work())
        button.clicked.connect(self.accept)

    def _take(self, found: object) -> None:
        if not isinstance(found, list):
            self.said.setText(str(found))
            return
        self.said.setText(
            tell("What comes of it: {measures} of what both have.", measures=counted(len(found), "measure"))
        )
        _fill(self.results, (tuple(each) for each in found))


def _table(title: str, headings: tuple[str, ...]) -> ReadTable:
    table = ReadTable(title, len(headings))
    table.setHorizontalHeaderLabels(list(headings))
    table.verticalHeader().hide()
    table.horizontalHeader().setStretchLastSection(True)
    return table


def _fill(table: ReadTable, rows: Iterable[tuple[str, ...]]) -> None:
    listed = list(rows)
    table.setRowCount(len(listed))
    for k, row in enumerate(listed):
        for c, text in enumerate(row):
            table.setItem(k, c, QTableWidgetItem(text))
    table.resizeColumnsToContents()
    for c in range(table.columnCount()):
        table.setColumnWidth(c, min(table.columnWidth(c), 330))
