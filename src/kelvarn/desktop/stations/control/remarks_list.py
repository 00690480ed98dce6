"""The list of all remarks over the window."""

from functools import partial

from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QPushButton, QScrollArea, QVBoxLayout, QWidget

from kelvarn.desktop.fields.plain import heading, link, small
from kelvarn.desktop.language import tell
from kelvarn.desktop.parts.panel import put_content
from kelvarn.desktop.parts.popup import Popup
from kelvarn.desktop.stations.remarks import Remarks
from kelvarn.sentence import joined
from kelvarn.tune.remark import Remark

_WIDTH, _HEIGHT = 560, 420


class RemarksList(Popup):
    """All remarks over the window, each with its remedy, or to be set aside with a reason.

    Args:
        of: the remarks.
        parent: over which it stands.
    """

    def __init__(self, of: Remarks, parent: QWidget) -> None:
        super().__init__(parent)
        self._of = of
        self._scroll = QScrollArea()
        self._scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)  # what is in it takes the keys
        self._scroll.setWidgetResizable(True)
        self._scroll.setProperty("inFoot", True)
        self._scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.buttons: list[QPushButton] = []
        self.reasons: list[QLineEdit] = []
        self._title = heading(tell("Remarks"))
        layout = QVBoxLayout(self)
        layout.addWidget(self._title)
        layout.addWidget(self._scroll, 1)
        self.resize(_WIDTH, _HEIGHT)
        of.updated.connect(self._fill)
        self._fill()

    def popup(self, corner: QPoint) -> None:
        super().popup(corner)
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
        self._title.setText(tell("Remarks: {number}", number=len(found)) if found else tell("Nothing to remark"))
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
        of = f"{remark.candidate}: " if remark.candidate is not None else tell("Rig:")
        column.addWidget(small(tell(joined(" ", ("⚑", of, remark.text) if of else ("⚑", remark.text))), "gold"))
        row = QHBoxLayout()
        if remark.mend is not None:
            mend = link(remark.remedy, partial(self._of.mend, remark))
            self.buttons.append(mend)
            row.addWidget(mend)
        reason = QLineEdit()
        reason.setPlaceholderText(tell("reason to set it aside"))
        reason.setAccessibleName(tell("Reason to set aside: {remark}", remark=remark.key))
        reason.setMaxLength(200)
        reason.setMinimumWidth(210)
        aside = link(tell("set aside"), lambda: self._of.put_aside(remark, reason.text().strip()))
        reason.returnPressed.connect(lambda: self._of.put_aside(remark, reason.text().strip()))
        self.reasons.append(reason)
        row.addStretch(1)
        row.addWidget(reason)
        row.addWidget(aside)
        if remark.mend is None:
            self.buttons.append(aside)
        column.addLayout(row)
        return made
