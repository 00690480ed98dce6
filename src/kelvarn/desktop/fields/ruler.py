"""A setting on a ruler: drag the marker, step it with keys, or type the number."""

import math

from PySide6.QtCore import QPointF, QSize, Qt
from PySide6.QtGui import QAccessible, QAccessibleEvent, QHideEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QHBoxLayout, QSizePolicy, QVBoxLayout, QWidget

from kelvarn.desktop import theme
from kelvarn.desktop.language import tell
from kelvarn.desktop.parts.keyboard import FocusRing, value_step
from kelvarn.desktop.parts.plain import PlainLabel, menu_text, plain_tip
from kelvarn.desktop.parts.spoken import Role
from kelvarn.sentence import say
from kelvarn.units import from_shown, to_shown

from .binding import Binding, Wrong
from .number import EDIT_WIDTH, NumberEdit

_MARGIN = 7
_KEY_STEPS = 200  # steps of the arrow keys over the whole ruler


class RulerScale(FocusRing):
    """The ruler itself. Its ends stand at the field's declaration, as do its scale (log or even) and hints."""

    def __init__(self, binding: Binding, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.binding = binding
        self._low, self._high = binding.extra["ruler"]
        self._log = bool(binding.extra.get("log", False))
        self._dragging = False
        self._shown: float | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(20)
        self.setAccessibleName(tell("{setting} ruler", setting=binding.title))
        self.setToolTip(tell("Drag, or ← → (Shift ×10, Alt ÷10)"))

    role = Role.Slider

    def spoken_value(self) -> str:
        return self.binding.text(self.binding.value) if self.binding.alive else ""

    def sizeHint(self) -> QSize:
        return QSize(200, 20)

    def refresh(self) -> None:
        """Show what the project has."""
        if self.binding.alive and self.binding.value != self._shown:
            self.update()

    def _share(self, value: float) -> float:
        """Place of a value on the ruler, 0…1."""
        if self._log:
            value = max(value, self._low / 1e6)
            share = math.log(value / self._low) / math.log(self._high / self._low)
        else:
            share = (value - self._low) / (self._high - self._low)
        return min(max(share, 0.0), 1.0)

    def _value(self, share: float) -> float:
        """Value at a place, rounded to what a pixel can tell."""
        share = min(max(share, 0.0), 1.0)
        value = (
            self._low * (self._high / self._low) ** share if self._log else self._low + share * (self._high - self._low)
        )
        quantity, scale = self.binding.quantity, self.binding.view.scale
        assert quantity is not None
        shown = to_shown(value, quantity, scale)
        unit = max(abs(shown), 1e-12) if self._log else to_shown(self._high - self._low, quantity, scale)
        digits = 2 - math.floor(math.log10(unit))
        return from_shown(round(shown, digits), quantity, scale)

    def x_of(self, value: float) -> float:
        """Pixel of a value."""
        return _MARGIN + self._share(value) * (self.width() - 2 * _MARGIN)

    def _ticks(self) -> list[tuple[float, bool]]:
        """Places and whether the tick is a long one: decades and halves of them, or tenths."""
        if not self._log:
            return [(k / 10, k % 5 == 0) for k in range(11)]
        found = []
        for power in range(math.floor(math.log10(self._low)), math.ceil(math.log10(self._high)) + 1):
            for m in (1, 2, 3, 5, 7):
                value = m * 10.0**power
                if self._low * 0.999 <= value <= self._high * 1.001:
                    found.append((self._share(value), m == 1))
        return found

    def paintEvent(self, event: QPaintEvent) -> None:
        del event
        look = theme.current()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        left, right, base = _MARGIN, self.width() - _MARGIN, 11.5
        painter.setPen(QPen(look.color("muted"), 1))
        painter.drawLine(QPointF(left, base), QPointF(right, base))
        for share, long in self._ticks():
            x = round(left + share * (right - left)) + 0.5
            painter.drawLine(QPointF(x, base), QPointF(x, base + (7 if long else 4)))
        if self.binding.alive:
            self._shown = self.binding.value
            x = self.x_of(float(self._shown))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(look.color("glacier" if self.ring or self._dragging else "ink"))
            painter.drawPolygon([QPointF(x, base), QPointF(x - 6, 1), QPointF(x + 6, 1)])
        painter.end()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self._dragging = True
            self.binding.document.begin_stroke()
            self._drag_to(event.position().x())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._dragging:
            self._drag_to(event.position().x())

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._dragging and event.button() == Qt.MouseButton.LeftButton:
            self._dragging = False
            self.binding.document.end_stroke()
            self.update()

    def hideEvent(self, event: QHideEvent) -> None:
        if self._dragging:  # the button's release will not come here any more
            self._dragging = False
            self.binding.document.end_stroke()
        super().hideEvent(event)

    def _drag_to(self, x: float) -> None:
        self._put(self._value((x - _MARGIN) / (self.width() - 2 * _MARGIN)))

    def _put(self, value: float) -> None:
        try:
            self.binding.put(value, dragged=self._dragging)
        except Wrong:
            return  # the ruler's ends lie inside the range; what else forbids a value leaves the marker where it is
        self.update()
        QAccessible.updateAccessibility(QAccessibleEvent(self, QAccessible.Event.ValueChanged))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = value_step(event)
        if step is not None:
            self._put(self._value(self._share(float(self.binding.value)) + step / _KEY_STEPS))
        elif event.key() == Qt.Key.Key_Escape and self._dragging:
            self._dragging = False
            self.binding.document.abort_stroke()
        else:
            super().keyPressEvent(event)


class RulerField(QWidget):
    """Title and number, the ruler, and one line on what more or less does."""

    def __init__(self, binding: Binding, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.edit = NumberEdit(binding)
        self.edit.setProperty("plain", True)
        self.edit.setFixedWidth(EDIT_WIDTH)
        self.ruler = RulerScale(binding)
        title = PlainLabel(menu_text(binding.title))
        title.setFont(theme.font(bold=True))
        title.setToolTip(plain_tip(binding.meaning))
        title.setBuddy(self.edit)
        title.setMinimumWidth(40)
        title.setWordWrap(True)
        self._hint_text = _hint(binding)
        self._hint = PlainLabel(self._hint_text)
        self._hint.setFont(theme.font("small"))
        self._hint.setProperty("role", "muted")
        self._hint.setWordWrap(True)
        self.edit.complaint.connect(self._complain)
        head = QHBoxLayout()
        head.setContentsMargins(0, 0, 0, 0)
        head.addWidget(title, 1)
        head.addWidget(self.edit)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 6)
        layout.setSpacing(0)
        layout.addLayout(head)
        layout.addWidget(self.ruler)
        layout.addWidget(self._hint)

    def refresh(self) -> None:
        """Show what the project has."""
        self.edit.refresh()
        self.ruler.refresh()

    def _complain(self, sentence: str) -> None:
        if (sentence or self._hint_text) == self._hint.text():
            return
        self._hint.setText(sentence or self._hint_text)
        self._hint.setProperty("role", "wrong" if sentence else "muted")
        self._hint.style().unpolish(self._hint)
        self._hint.style().polish(self._hint)


def _hint(binding: Binding) -> str:
    words = (("more", say("more: {does}")), ("less", say("less: {does}")))
    parts = [tell(text, does=say(str(binding.extra[word]))) for word, text in words if word in binding.extra]
    return " · ".join(parts) or binding.meaning
