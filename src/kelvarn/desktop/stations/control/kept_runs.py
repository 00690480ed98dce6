"""The list of kept runs: show or hide each, take its settings as a candidate, delete it."""

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QPushButton, QScrollArea, QVBoxLayout, QWidget

from kelvarn.desktop.fields.plain import heading, link, small
from kelvarn.desktop.language import tell
from kelvarn.desktop.parts.panel import put_content
from kelvarn.desktop.parts.plain import menu_text
from kelvarn.desktop.parts.popup import Popup
from kelvarn.desktop.state.document import Document
from kelvarn.model.candidate import Candidate
from kelvarn.model.edit import remove
from kelvarn.model.kept_run import KeptRun
from kelvarn.units import Scale
from kelvarn.words.laws import law_text

_SIZE = (560, 320)


class KeptRuns(Popup):
    """See the module.

    Args:
        document: whose runs.
        scale: in which settings are said.
        take: makes a candidate.
        parent: over which it stands.
    """

    def __init__(
        self, document: Document, scale: Scale, take: Callable[[Candidate], object], parent: QWidget
    ) -> None:  # fmt: skip
        super().__init__(parent)
        self._document, self._scale, self._take = document, scale, take
        self._scroll = QScrollArea()
        self._scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)  # what is in it takes the keys
        self._scroll.setWidgetResizable(True)
        self._scroll.setProperty("inFoot", True)
        self._title = heading(tell("Kept runs"))
        self.boxes: list[QCheckBox] = []
        self.takes: list[QPushButton] = []
        self.deletes: list[QPushButton] = []
        layout = QVBoxLayout(self)
        layout.addWidget(self._title)
        layout.addWidget(self._scroll, 1)
        self.resize(*_SIZE)
        document.changed.connect(self._fill)
        self._fill()

    def _fill(self) -> None:
        kept = self._document.project.kept
        self._title.setText(
            tell("Kept runs: {number}", number=len(kept))
            if kept
            else tell("No run is kept yet: “Keep this run” keeps one.")
        )
        content = QWidget()
        column = QVBoxLayout(content)
        column.setContentsMargins(0, 0, 10, 0)
        self.boxes, self.takes, self.deletes = [], [], []
        for place, run in enumerate(kept):
            column.addWidget(self._row(place, run))
        column.addStretch(1)
        put_content(self._scroll, content)

    def _row(self, place: int, run: KeptRun) -> QWidget:
        made = QWidget()
        row = QHBoxLayout(made)
        row.setContentsMargins(0, 0, 0, 4)
        box = QCheckBox(menu_text(run.name))
        box.setChecked(run.shown)
        box.setToolTip(tell("Whether it lies under the strip"))
        box.toggled.connect(partial(self._show_run, place))
        what = small(tell("{law}; on “{trial}”", law=law_text(run.controller, self._scale), trial=run.trial.name))
        take = link(tell("as a candidate"), lambda: self._take(Candidate(name=run.name, controller=run.controller)))
        delete = link(tell("delete"), partial(self._delete, place))
        row.addWidget(box)
        row.addWidget(what, 1)
        row.addWidget(take)
        row.addWidget(delete)
        self.boxes.append(box)
        self.takes.append(take)
        self.deletes.append(delete)
        return made

    def _show_run(self, place: int, shown: bool) -> None:
        name = self._document.project.kept[place].name
        self._document.set(("kept", place, "shown"), shown, f"{'show' if shown else 'hide'} {name}")

    def _delete(self, place: int) -> None:
        project = self._document.project
        self._document.apply(
            remove(project, ("kept",), place), tell("delete kept run {name}", name=project.kept[place].name)
        )
