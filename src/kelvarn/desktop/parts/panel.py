"""A column of fields that is built anew only when what it is about changes; and the three columns of a station."""

from collections.abc import Callable, Hashable
from typing import Protocol

from PySide6.QtCore import QEvent, QObject, QSize, Qt
from PySide6.QtWidgets import QFrame, QScrollArea, QSizePolicy, QSplitter, QVBoxLayout, QWidget

from kelvarn.desktop import theme
from kelvarn.desktop.parts.plain import PlainLabel, set_shown


class Refreshable(Protocol):
    """Something that can show the project's present state."""

    def refresh(self) -> None:
        """Show it."""


class Note(PlainLabel):
    """A line in small print that says something worked out from the project.

    Args:
        text: what it says; asked for at each refresh. Empty hides it.
    """

    def __init__(self, text: Callable[[], str], role: str = "muted") -> None:
        super().__init__()
        self._say = text
        self.setProperty("role", role)
        self.setFont(theme.font("small"))
        self.setWordWrap(True)
        self.setIndent(2)
        self.refresh()

    def refresh(self) -> None:
        """Say it anew."""
        text = self._say()
        self.setText(text)
        set_shown(self, bool(text))


def put_content(area: QScrollArea, content: QWidget) -> None:
    """Scroll something else. What was there goes later: it may be a part of it that is at work right now."""
    old = area.takeWidget()
    if old is not None:
        old.hide()
        old.deleteLater()
    area.setWidget(content)


class Scrolled(QScrollArea):
    """Scrolls a column up and down, without a frame and without taking the keys."""

    def __init__(self, content: QWidget | None = None) -> None:
        super().__init__()
        self.setWidgetResizable(True)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        if content is not None:
            self.setWidget(content)


class Panel(Scrolled):
    """Scrolls a column of widgets. Subclasses say what it is about and fill it."""

    def __init__(self, width: int) -> None:
        super().__init__()
        self.setMinimumWidth(width)
        self._subject: Hashable = object()
        self._parts: list[Refreshable] = []
        self._column = QVBoxLayout()

    def subject(self) -> Hashable:
        """What decides which widgets there are."""
        raise NotImplementedError  # not an ABC: Qt's classes have a metaclass of their own

    def fill(self) -> None:
        """Add the widgets of the subject, with `add`."""
        raise NotImplementedError  # not an ABC: Qt's classes have a metaclass of their own

    def refresh(self) -> None:
        """Show the present state; build anew where the subject is another one."""
        subject = self.subject()
        if subject == self._subject:
            for part in self._parts:
                part.refresh()
            return
        self._subject = subject
        place = self.verticalScrollBar().value()
        content = QWidget()
        self._column = QVBoxLayout(content)
        self._column.setContentsMargins(2, 2, 12, 8)
        self._column.setSpacing(5)
        self._parts = []
        self.fill()
        self._column.addStretch(1)
        put_content(self, content)
        self.verticalScrollBar().setValue(place)

    def add(self, widget: QWidget, space: int = 0) -> None:
        """Add a widget; one that can refresh itself is kept up to date."""
        if space:
            self._column.addSpacing(space)
        self._column.addWidget(widget)
        if hasattr(widget, "refresh"):
            self._parts.append(widget)


class AsTall(Scrolled):
    """Scrolls what is below others in a column, and is no taller than it wants."""

    def __init__(self, content: QWidget) -> None:
        super().__init__(content)
        self._content = content
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Maximum)
        content.installEventFilter(self)

    def eventFilter(self, of: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.LayoutRequest:
            self.updateGeometry()
        return super().eventFilter(of, event)

    def sizeHint(self) -> QSize:
        width, wanted = self.viewport().width(), self._content.sizeHint()
        return QSize(width, max(wanted.height(), self._content.heightForWidth(width)))


class Columns(QSplitter):
    """Left, middle and right; all resizable, the outer ones foldable, the middle one takes what is spare."""

    def __init__(self, left: QWidget, middle: QWidget, right: QWidget, left_width: int = 190) -> None:
        super().__init__(Qt.Orientation.Horizontal)
        self.setHandleWidth(theme.GAP)
        scroll = Scrolled(left)
        scroll.setMinimumWidth(left_width)
        scroll.setViewportMargins(theme.GAP, 0, 0, 0)
        for widget in (scroll, middle, right):
            self.addWidget(widget)
        self.setSizes([theme.LEFT_WIDTH, 700, theme.RIGHT_WIDTH])
        for index, stretch in enumerate((0, 1, 0)):
            self.setStretchFactor(index, stretch)
        self.setCollapsible(1, False)
