"""Remarks on the project: computed beside the window, shown as flags at their settings and in one list."""

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import QObject, QPoint, Qt, QTimer, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLineEdit, QPushButton, QScrollArea, QVBoxLayout, QWidget

from kelvarn.desktop import theme
from kelvarn.desktop.document import Document
from kelvarn.desktop.fields.plain import heading
from kelvarn.desktop.panel import put_content
from kelvarn.desktop.plain import Label, menu_text
from kelvarn.desktop.runner import Runner
from kelvarn.desktop.view import View
from kelvarn.model.edit import Path
from kelvarn.tune.remarks import Remark, remarks, set_aside

_CHANNEL = "remarks"
_PAUSE_MS = 250
_WIDTH, _HEIGHT = 560, 420


class Remarks(QObject):
    """What is noticed in the project as it stands.

    Args:
        document, view, runner: whose project, trial and results.

    Attributes:
        found: all remarks, as far as they are known.

    Signals:
        updated: there are others.
    """

    updated = Signal()

    def __init__(self, document: Document, view: View, runner: Runner) -> None:
        super().__init__()
        self._document, self._view, self._runner = document, view, runner
        self._wanted: object = None
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(_PAUSE_MS)
        self._later.timeout.connect(self._start)
        self.found: list[Remark] = []

    def request(self) -> None:
        """Ask for them, once edits pause; where the project, the trial or the results are others."""
        if not self._runner.preparing:
            self._later.start()

    def stop(self) -> None:
        """Nothing is asked any more: the window closes."""
        self._later.stop()

    def _start(self) -> None:
        project, trial = self._document.project, self._view.trial(self._document.project)
        results = {c.name: self._runner.result_of(c.name) for c in project.candidates}
        measures = {name: result.measures for name, result in results.items() if result is not None}
        wanted = (project, trial.name, results)
        if wanted != self._wanted:
            self._wanted = wanted
            self._runner.jobs.start(_CHANNEL, lambda: remarks(project, trial, measures), self._take)

    def _take(self, outcome: object) -> None:
        assert isinstance(outcome, list)
        before = [(each.key, each.candidate, each.text) for each in self.found]
        self.found = outcome
        if [(each.key, each.candidate, each.text) for each in outcome] != before:
            self.updated.emit()

    def at(self, path: Path) -> list[Remark]:
        """Those about a setting."""
        return [each for each in self.found if each.path == path]


class Flag(QWidget):
    """The remarks on a setting, below it; nothing where there are none.

    Args:
        of: the remarks.
        path: the setting.
        mend: does a remedy.
    """

    def __init__(self, of: Remarks, path: Path, mend: Callable[[Remark], object]) -> None:
        super().__init__()
        self._of, self._path, self._mend = of, path, mend
        self._shown: tuple[str, ...] | None = None
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 2)
        self._column.setSpacing(0)
        self.refresh()

    def refresh(self) -> None:
        """Show what there is now."""
        found = self._of.at(self._path)
        shown = tuple(each.text for each in found)
        if shown == self._shown:
            return
        self._shown = shown
        while (item := self._column.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        for each in found:
            self._column.addWidget(_text(f"⚑ {each.text}"))
            if each.mend is not None:
                self._column.addWidget(_link(each.remedy, partial(self._mend, each)), 0, Qt.AlignmentFlag.AlignLeft)
        self.setVisible(bool(found))


class RemarksList(QFrame):
    """All remarks over the window, each with its remedy, or to be set aside with a reason.

    Args:
        of: the remarks.
        mend: does a remedy.
        put_aside: sets one aside, given the reason.
        parent: over which it stands.
    """

    def __init__(
        self, of: Remarks, mend: Callable[[Remark], object], put_aside: Callable[[Remark, str], object],
        parent: QWidget,
    ) -> None:  # fmt: skip
        super().__init__(parent, Qt.WindowType.Popup)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setProperty("card", True)
        self._of, self._mend, self._put_aside = of, mend, put_aside
        self._scroll = QScrollArea()
        self._scroll.setWidgetResizable(True)
        self._scroll.setProperty("inFoot", True)
        self._scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.buttons: list[QPushButton] = []
        self.reasons: list[QLineEdit] = []
        self._title = heading("Remarks")
        layout = QVBoxLayout(self)
        layout.addWidget(self._title)
        layout.addWidget(self._scroll, 1)
        self.resize(_WIDTH, _HEIGHT)
        of.updated.connect(self._fill)
        self._fill()

    def popup(self, at: QPoint) -> None:
        """Show it with a corner at a point, inside the screen."""
        area = self.screen().availableGeometry()
        self.move(min(at.x(), area.right() - self.width()), min(at.y(), area.bottom() - self.height()))
        self.show()
        self.step()

    def step(self) -> None:
        """Go to the next remark's first button."""
        if not self.buttons:
            return
        places = [k for k, button in enumerate(self.buttons) if button.hasFocus()]
        following = (places[0] + 1) % len(self.buttons) if places else 0
        self.buttons[following].setFocus(Qt.FocusReason.TabFocusReason)
        self._scroll.ensureWidgetVisible(self.buttons[following])

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_F8:
            self.step()
        else:
            super().keyPressEvent(event)

    def _fill(self) -> None:
        found = self._of.found
        self._title.setText(f"Remarks: {len(found)}" if found else "Nothing to remark")
        content = QWidget()
        column = QVBoxLayout(content)
        column.setContentsMargins(0, 0, 10, 0)
        self.buttons, self.reasons = [], []
        for each in found:
            column.addWidget(self._row(each))
        column.addStretch(1)
        put_content(self._scroll, content)

    def _row(self, remark: Remark) -> QWidget:
        made = QWidget()
        column = QVBoxLayout(made)
        column.setContentsMargins(0, 0, 0, 8)
        column.setSpacing(1)
        of = f"{remark.candidate}: " if remark.candidate is not None else "Rig: "
        column.addWidget(_text(f"⚑ {of}{remark.text}"))
        row = QHBoxLayout()
        if remark.mend is not None:
            mend = _link(remark.remedy, partial(self._mend, remark))
            self.buttons.append(mend)
            row.addWidget(mend)
        reason = QLineEdit()
        reason.setPlaceholderText("reason to set it aside")
        reason.setAccessibleName(f"Reason to set aside: {remark.key}")
        reason.setMaxLength(200)
        reason.setMinimumWidth(210)
        aside = _link("set aside", lambda: self._put_aside(remark, reason.text().strip()))
        reason.returnPressed.connect(lambda: self._put_aside(remark, reason.text().strip()))
        self.reasons.append(reason)
        row.addStretch(1)
        row.addWidget(reason)
        row.addWidget(aside)
        if remark.mend is None:
            self.buttons.append(aside)
        column.addLayout(row)
        return made


def aside_of(document: Document, remark: Remark, reason: str) -> None:
    """Set a remark aside, as an edit. Raises pydantic.ValidationError without a reason."""
    document.apply(set_aside(document.project, remark, reason), f"set aside: {remark.key}")


def _text(text: str) -> Label:
    made = Label(text)
    made.setFont(theme.font("small"))
    made.setProperty("role", "gold")
    made.setWordWrap(True)
    made.setMinimumWidth(60)
    return made


def _link(text: str, work: Callable[[], object]) -> QPushButton:
    made = QPushButton(menu_text(text))
    made.setProperty("link", True)
    made.setFont(theme.font("small", bold=True))
    made.clicked.connect(lambda: work())
    return made
