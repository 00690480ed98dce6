"""A number with its unit, typed or stepped, and what is wrong with it beside it."""

import math

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QGridLayout, QWidget

from kelvarn.desktop import theme
from kelvarn.desktop.language import tell
from kelvarn.desktop.parts.keyboard import value_step
from kelvarn.desktop.parts.plain import PlainLabel, menu_text, plain_tip
from kelvarn.units import Quantity, from_shown, split, to_shown

from .binding import Binding, Wrong
from .typed import TypedLine

EDIT_WIDTH = 118


class NumberEdit(TypedLine):
    """The line in which a number is typed. It holds no state but what is being typed.

    Signals:
        complaint: what is wrong with the text, or "".
    """

    complaint = Signal(str)

    def __init__(self, binding: Binding, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        assert binding.quantity is not None, f"{binding.path} is no number"
        self.binding = binding
        self._bare: str | None = None
        self._shown: object = object()  # the value in the line; a unit change makes a new line
        self.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.setAccessibleName(binding.title)
        self.setPlaceholderText(binding.empty if binding.optional else "")
        self.textEdited.connect(lambda _: self._complain(""))
        self.editingFinished.connect(self.take)
        keys = tell("↑ ↓ step, Shift ×10, Alt ÷10")
        self.setToolTip(plain_tip(f"{binding.meaning}\n{binding.range_text()}   {keys}"))
        self.refresh()

    def refresh(self) -> None:
        """Show what the project has, unless the user is typing."""
        if not self.binding.alive:
            return
        value = self.binding.value
        if self.typing or (value == self._shown and not self.isModified() and not self.wrong):
            return
        self._shown = value
        self.setText(self.binding.text(value))
        if value is not None and self.binding.quantity is not None:
            # A bare number means the unit that stood in the field.
            unit = split(float(value), self.binding.quantity, self.binding.view.scale, exact=True)[1]
            self._bare = None if self.binding.quantity is Quantity.TEMPERATURE else unit
        self._complain("")

    def take(self) -> None:
        """Take what was typed; a wrong text stays, with its fault."""
        if not self.isModified() or not self.binding.alive:
            return
        self.setModified(False)  # first: the edit may take the focus away, which would call this again
        try:
            self.binding.put(self.binding.read(self.text(), self._bare))
        except Wrong as error:
            self.setModified(True)
            self._complain(str(error))
            return
        self.refresh()

    def _complain(self, sentence: str) -> None:
        self.mark(bool(sentence))
        self.complaint.emit(sentence)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = value_step(event)
        if step is not None and event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self.step(step)
        elif event.key() == Qt.Key.Key_Escape and self.isModified():
            self.setModified(False)
            self.refresh()
        else:
            super().keyPressEvent(event)

    def step(self, count: float) -> None:
        """Step by a tenth of the leading figure's place, in the unit shown."""
        value, quantity = self.binding.value, self.binding.quantity
        if value is None or quantity is None:
            return
        try:
            self.binding.check_range(value)
            self.binding.put(stepped(self.binding, float(value), count))
        except Wrong as error:
            self._complain(str(error))
            return
        self.setModified(False)
        self.refresh()


def stepped(binding: Binding, value: float, count: float) -> float:
    """A value moved by so many steps, kept in range."""
    quantity, scale = binding.quantity, binding.view.scale
    assert quantity is not None
    factor = (
        {"min": 60.0, "h": 3600.0}.get(split(value, quantity, scale)[1], 1.0) if quantity is Quantity.DURATION else 1.0
    )
    shown = to_shown(value, quantity, scale) / factor
    size = 1.0 if quantity is Quantity.TEMPERATURE else 10.0 ** (math.floor(math.log10(abs(shown) or 1.0)) - 1)
    moved = shown + count * size
    digits = 1 - math.floor(math.log10(size * min(1.0, abs(count))))
    new = from_shown(round(moved, max(0, digits)) * factor, quantity, scale)
    low, high = binding.limit("ge"), binding.limit("le")
    new = max(new, low) if low is not None else new
    new = min(new, high) if high is not None else new
    return int(new) if isinstance(binding.value, int) and not isinstance(binding.value, bool) else new


class NumberField(QWidget):
    """A title, a number beside it, and below it what is wrong."""

    def __init__(self, binding: Binding, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.edit = NumberEdit(binding)
        self.edit.setFixedWidth(EDIT_WIDTH)
        title = PlainLabel(menu_text(binding.title))
        title.setToolTip(plain_tip(binding.meaning))
        title.setBuddy(self.edit)
        title.setMinimumWidth(40)
        title.setWordWrap(True)
        self._fault = PlainLabel()
        self._fault.setProperty("role", "wrong")
        self._fault.setFont(theme.font("small"))
        self._fault.setWordWrap(True)
        self._fault.hide()
        self.edit.complaint.connect(self._show_fault)
        layout = QGridLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setVerticalSpacing(1)
        layout.addWidget(title, 0, 0)
        layout.addWidget(self.edit, 0, 1)
        layout.addWidget(self._fault, 1, 0, 1, 2)
        layout.setColumnStretch(0, 1)
        self._layout = layout

    def add_beside(self, widget: QWidget) -> None:
        """Put something small right of the number."""
        self._layout.addWidget(widget, 0, 2)

    def refresh(self) -> None:
        """Show what the project has."""
        self.edit.refresh()

    def _show_fault(self, sentence: str) -> None:
        self._fault.setText(sentence)
        self._fault.setVisible(bool(sentence))
