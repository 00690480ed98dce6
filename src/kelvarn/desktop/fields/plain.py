"""Names, choices and switches."""

from collections.abc import Callable
from math import ceil
from typing import Any

from pydantic import ValidationError
from PySide6.QtCore import QPointF, QSize, Qt
from PySide6.QtGui import QKeyEvent, QPainter, QPaintEvent, QResizeEvent, QWheelEvent
from PySide6.QtWidgets import QCheckBox, QComboBox, QGridLayout, QPushButton, QSizePolicy, QWidget

from kelvarn.desktop import theme
from kelvarn.desktop.language import fault_told, told
from kelvarn.desktop.parts import texts
from kelvarn.desktop.parts.boxes import first_sentence
from kelvarn.desktop.parts.plain import PlainLabel, menu_text, plain_tip
from kelvarn.model.edit import EditError
from kelvarn.model.names import MOST_CHARACTERS

from .binding import Binding, Wrong
from .number import EDIT_WIDTH
from .typed import TypedLine

_AROUND_WORDS = 38  # px: padding and arrow of a choice
_AROUND_CHOICE = 66  # px: margins, scroll bar, and what stands between a title and its choice
_LEAST_CHOICE, QWIDGETSIZE_MAX = 64, 16_777_215  # px
_LEAST_LINK, _BESIDE_LINK = 40, 12  # px: least width of a link that may be cut, and what stands beside its text


class NameEdit(TypedLine):
    """A name, which may have to follow it through the project.

    Args:
        value: reads the name.
        rename: takes the new one; may raise ValidationError or EditError.
    """

    def __init__(self, title: str, value: Callable[[], str], rename: Callable[[str], None]) -> None:
        super().__init__()
        self._value, self._rename = value, rename
        self.setAccessibleName(title)
        self.setMaxLength(MOST_CHARACTERS)
        self.editingFinished.connect(self._take)
        self.refresh()

    def refresh(self) -> None:
        """Show the name, unless it is being typed."""
        name = self._value()
        if not self.typing and (name != self.text() or self.wrong):
            self.setText(name)
            self.setCursorPosition(0)
            self._say("")

    def _take(self) -> None:
        if not self.isModified():
            return
        self.setModified(False)  # first: the edit may take the focus away, which would call this again
        name = self.text().strip()
        try:
            if name != self._value():
                self._rename(name)
        except ValidationError as error:
            self._refuse(first_sentence(error))
            return
        except (EditError, Wrong) as error:
            self._refuse(fault_told(error))
            return
        self.refresh()

    def _refuse(self, sentence: str) -> None:
        self.setModified(True)
        self._say(sentence)

    def _say(self, sentence: str) -> None:
        self.mark(bool(sentence))
        self.setToolTip(plain_tip(sentence))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape and self.isModified():
            self.setModified(False)
            self.refresh()
        else:
            super().keyPressEvent(event)


class Choice(QComboBox):
    """A combo box that a wheel passing over it does not turn, with a small triangle that says it opens."""

    def addItem(self, text: str, data: object = None) -> None:  # type: ignore[override]
        super().addItem(told(text), data)

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.current().color("muted"))
        x, y = self.width() - 13.0, self.height() / 2
        painter.drawPolygon([QPointF(x - 4, y - 2), QPointF(x + 4, y - 2), QPointF(x, y + 3)])
        painter.end()

    def wheelEvent(self, event: QWheelEvent) -> None:
        event.ignore()


class ChoiceField(QWidget):
    """A title and a choice between values.

    Args:
        binding: the field.
        choices: value and what it is called.
        put: how a choice is set; None sets the field.
    """

    def __init__(
        self, binding: Binding, choices: list[tuple[Any, str]], put: Callable[[Any], None] | None = None
    ) -> None:
        super().__init__()
        self.binding, self._put = binding, put or binding.put
        self.box = Choice()
        self.box.setAccessibleName(binding.title)
        self.box.setToolTip(plain_tip(binding.meaning))
        for value, name in choices:
            self.box.addItem(name, value)
        # As wide as its words want, and the title leaves room for in a narrow column.
        beside = theme.RIGHT_WIDTH - _AROUND_CHOICE - ceil(texts.laid_out(binding.title).width)
        widest = ceil(max((texts.laid_out(name).width for _, name in choices), default=0.0)) + _AROUND_WORDS
        self.box.setFixedWidth(max(EDIT_WIDTH + 42, min(widest, beside)))
        self.box.activated.connect(self._take)
        layout = titled(binding.title, self.box)
        self.setLayout(layout)
        self.refresh()

    def alone(self) -> "ChoiceField":
        """It without its title, as wide as there is room: for a table."""
        for label in self.findChildren(PlainLabel):
            label.hide()
        layout = self.layout()
        assert isinstance(layout, QGridLayout)
        layout.setColumnStretch(0, 0)
        self.box.setMinimumWidth(_LEAST_CHOICE)
        self.box.setMaximumWidth(QWIDGETSIZE_MAX)
        return self

    def refresh(self) -> None:
        """Show what the project has."""
        if self.binding.alive:
            self.box.setCurrentIndex(self.box.findData(self.binding.value))

    def _take(self) -> None:
        try:
            self._put(self.box.currentData())
        except Wrong as error:
            self.box.setToolTip(plain_tip(str(error)))
        self.refresh()


class SwitchField(QCheckBox):
    """A yes or no."""

    def __init__(self, binding: Binding) -> None:
        super().__init__(menu_text(binding.title))
        self.binding = binding
        self.setToolTip(plain_tip(binding.meaning))
        self.clicked.connect(lambda on: binding.put(on))
        self.refresh()

    def refresh(self) -> None:
        """Show what the project has."""
        if self.binding.alive:
            self.setChecked(bool(self.binding.value))


class TextField(QWidget):
    """A title and a line of text, which may be empty."""

    def __init__(self, binding: Binding) -> None:
        super().__init__()

        def take(text: str) -> None:
            binding.put(text or (None if binding.optional else ""))

        self._edit = NameEdit(binding.title, lambda: binding.value or "", take)
        self._edit.setMaxLength(next((m.max_length for m in binding.info.metadata if hasattr(m, "max_length")), 200))
        self._edit.setFixedWidth(EDIT_WIDTH + 42)
        self._edit.setToolTip(binding.meaning)
        self.binding = binding
        self.setLayout(titled(binding.title, self._edit))

    def refresh(self) -> None:
        """Show what the project has."""
        if self.binding.alive:
            self._edit.refresh()


def titled(title: str, widget: QWidget) -> QGridLayout:
    """A title left and a widget right."""
    label = PlainLabel(menu_text(title))
    label.setMinimumWidth(40)
    label.setBuddy(widget)
    layout = QGridLayout()
    layout.setContentsMargins(0, 0, 0, 0)
    layout.addWidget(label, 0, 0)
    layout.addWidget(widget, 0, 1)
    layout.setColumnStretch(0, 1)
    return layout


def heading(text: str) -> PlainLabel:
    """A small heading."""
    label = PlainLabel(text)
    label.setFont(theme.font("title"))
    return label


def small(text: str = "", role: str = "muted", *, bold: bool = False) -> PlainLabel:
    """A line in small print, in a colour role of the theme; "" for ink."""
    label = PlainLabel(text)
    label.setFont(theme.font("small", bold=bold))
    label.setProperty("role", role)
    label.setWordWrap(True)
    label.setMinimumWidth(40)
    return label


class CutLink(QPushButton):
    """Text to be clicked that is cut where it has no room, so that it makes nothing wider."""

    def __init__(self, text: str, tip: str = "") -> None:
        super().__init__()
        self._whole = told(text)
        self.setProperty("link", True)
        self.setFont(theme.font("small", bold=True))
        self.setToolTip(plain_tip(tip or text))
        self.setAccessibleName(told(tip or text))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setText(menu_text(text))

    def say(self, text: str) -> None:
        """Say something else."""
        text = told(text)
        if text != self._whole:
            self._whole = text
            self.setToolTip(plain_tip(text))
            self.setAccessibleName(text)
            self._cut()

    def minimumSizeHint(self) -> QSize:
        return QSize(_LEAST_LINK, super().minimumSizeHint().height())

    def sizeHint(self) -> QSize:
        return QSize(_LEAST_LINK, super().sizeHint().height())

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._cut()

    def _cut(self) -> None:
        room = self.width() - _BESIDE_LINK
        cut = self.fontMetrics().elidedText(self._whole, Qt.TextElideMode.ElideRight, room)
        self.setText(menu_text(cut))


def link(text: str, work: Callable[[], object], tip: str = "") -> QPushButton:
    """Text to be clicked, in small print.

    Args:
        text: what it says.
        work: done at a click.
        tip: what it does, in more words; they are also what assistive technology hears.
    """
    button = QPushButton(menu_text(text))
    button.setProperty("link", True)
    button.setFont(theme.font("small", bold=True))
    button.setToolTip(plain_tip(tip))
    button.setAccessibleName(told(tip or text))
    button.clicked.connect(lambda: work())
    return button
