"""The foot: pass marks as bars with a tick at the limit. A click edits one."""

import math

from PySide6.QtCore import QPoint, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QResizeEvent
from PySide6.QtWidgets import (
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QSpacerItem,
    QVBoxLayout,
    QWidget,
)

from kelvarn.desktop import theme
from kelvarn.desktop.language import tell, told
from kelvarn.desktop.parts import texts
from kelvarn.desktop.parts.elided import ElidedLine
from kelvarn.desktop.parts.keyboard import FocusRing
from kelvarn.desktop.parts.plain import PlainLabel, plain_tip
from kelvarn.engine.marks import Verdict
from kelvarn.model.mark import Mark
from kelvarn.sentence import say
from kelvarn.studies.results import Result
from kelvarn.units import Scale, show

_HEIGHT, _LEAST_WIDTH, _GAP, _ROW_GAP, _ROWS_SHOWN = 54, 140, 22, 8, 2  # px, and rows before the others are scrolled to


class MarkBar(FocusRing):
    """One mark: title, what was reached, the limit, and both as a bar.

    Signals:
        clicked: it is to be edited.
    """

    clicked = Signal()

    def __init__(self) -> None:
        super().__init__()
        self._mark: Mark | None = None
        self._verdict: Verdict | None = None
        self._shown: object = None
        self._scale = Scale.CELSIUS
        self._texts = ("", "")  # what was reached, and the limit
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)  # nothing below needs to be painted for it
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(_HEIGHT)
        self.setMaximumWidth(330)

    @property
    def mark(self) -> Mark | None:
        """The mark shown."""
        return self._mark

    def spoken_value(self) -> str:
        return "" if self._verdict is None else tell("met" if self._verdict.met else "not met")

    def show_mark(self, mark: Mark, verdict: Verdict | None, scale: Scale) -> None:
        """Show a mark and how it was judged; None while nothing is computed."""
        if (mark, verdict, scale, theme.current()) == self._shown:
            return
        self._shown = (mark, verdict, scale, theme.current())
        self._mark, self._verdict, self._scale = mark, verdict, scale
        self._texts = reached, words = self._reached(), mark.limit_text(scale)
        self.setAccessibleName(tell("Mark {mark}, {words}: {reached}", mark=mark.title, words=words, reached=reached))
        reason = verdict.reason if verdict is not None and verdict.reason else say(mark.kind.text)
        reason = tell("{reason}\nBecause: {why}", reason=reason, why=mark.why) if mark.why else reason
        self.setToolTip(
            plain_tip(
                tell(
                    "{mark}: {reached}, asked {words}.\n{reason}\nClick to change the mark.",
                    mark=mark.title,
                    reached=reached,
                    words=words,
                    reason=reason,
                )
            )
        )
        self.update()

    def _reached(self) -> str:
        if self._verdict is None or self._mark is None:
            return "–"
        if self._verdict.value is None:
            return tell("never") if self._mark.measure in ("settling_s", "recovery_s") else "–"
        return show(self._verdict.value, self._mark.kind.quantity, self._scale)

    def paintEvent(self, event: QPaintEvent) -> None:
        del event
        look = theme.current()
        painter = QPainter(self)
        painter.fillRect(self.rect(), look.color("panel"))
        if self._mark is None:
            painter.end()
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        met = self._verdict is not None and self._verdict.met
        color = look.color("muted" if self._verdict is None else "moss" if met else "ember")
        width = self.width() - 2
        sign = "" if self._verdict is None else "✓ " if met else "✕ "
        title = QRectF(1, 0, width, 16)
        texts.paint(painter, title, sign + told(self._mark.title), color, "small", bold=True, cut=True)
        reached, words = self._texts
        texts.paint(painter, QRectF(1, 16, width, 21), reached, look.color("ink"), "big")
        if texts.laid_out(words, "small").width > width - texts.laid_out(reached, "big").width - 8:
            words = self._mark.limit_text(self._scale, short=True)
        texts.paint(painter, QRectF(1, 17, width, 20), words, look.color("muted"), "small", at=texts.At.RIGHT)
        self._paint_bar(painter, QRectF(1, 41, width, 7), color)
        if self.ring:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(look.color("glacier"))
            painter.drawRoundedRect(QRectF(0.5, 0.5, self.width() - 1, self.height() - 1), 3, 3)
        painter.end()

    def _paint_bar(self, painter: QPainter, rect: QRectF, color: QColor) -> None:
        """The bar is what was reached, the tick the limit, at three quarters of the way."""
        assert self._mark is not None
        look = theme.current()
        painter.fillRect(rect, look.color("hairline"))
        tick = 0.72
        if self._verdict is not None:
            share = 1.0 if self._verdict.value is None else _share(self._mark, self._verdict.value) * tick
            filled = QRectF(rect.left(), rect.top(), rect.width() * min(max(share, 0.0), 1.0), rect.height())
            painter.fillRect(filled, color)
        x = rect.left() + rect.width() * tick
        painter.setPen(QPen(look.color("ink"), 2))
        painter.drawLine(QPointF(x, rect.top() - 3), QPointF(x, rect.bottom() + 3))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self.clicked.emit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self.clicked.emit()
        else:
            super().keyPressEvent(event)


def _share(mark: Mark, value: float) -> float:
    """What was reached as a share of the limit; temperatures count from 0 °C."""
    value = abs(value) if mark.direction == "within" else value
    return value / mark.limit if mark.limit > 0 else 2.0 if value > mark.limit else 0.9


class _Rows(QScrollArea):
    """Bars in rows as wide as the foot, evenly filled; a third row is scrolled to."""

    def __init__(self) -> None:
        super().__init__()
        self.setProperty("inFoot", True)
        self.setWidgetResizable(True)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self._bars: list[MarkBar] = []
        self._columns = 0

    def show_bars(self, bars: list[MarkBar]) -> None:
        """Put bars into their places."""
        self._bars, self._columns = list(bars), 0
        self.setVisible(bool(bars))
        self._arrange()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._arrange()

    def _arrange(self) -> None:
        count = max(1, len(self._bars))
        fit = max(1, (self.viewport().width() + _GAP) // (_LEAST_WIDTH + _GAP))
        rows = math.ceil(count / fit)
        columns = math.ceil(count / rows)
        if columns == self._columns:
            return
        self._columns = columns
        shown = min(rows, _ROWS_SHOWN)
        self.setFixedHeight(shown * (_HEIGHT + _ROW_GAP) - _ROW_GAP)
        inner = QWidget()
        grid = QGridLayout(inner)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(_GAP)
        grid.setVerticalSpacing(_ROW_GAP)
        for k, bar in enumerate(self._bars):
            grid.addWidget(bar, k // columns, k % columns)
            grid.setColumnStretch(k % columns, 1)
        grid.addItem(QSpacerItem(0, 0, QSizePolicy.Policy.Expanding), 0, columns)  # the rest where the bars are few
        self.setWidget(inner)


class MarksFoot(QFrame):
    """All marks of the trial for the selected candidate.

    Signals:
        edit_wanted: the mark at an index is to be edited, beside a global position.
        add_wanted: another mark is wanted.
    """

    edit_wanted = Signal(int, QPoint)
    add_wanted = Signal(QPoint)

    def __init__(self) -> None:
        super().__init__()
        self.setProperty("foot", True)
        self._bars: list[MarkBar] = []
        self._caption = ElidedLine("small", "muted", ground="panel")
        title = PlainLabel(tell("Pass marks"))
        title.setFont(theme.font("small", bold=True))
        add = QPushButton(tell("+ mark"))
        add.setProperty("link", True)
        add.setFont(theme.font("small"))
        add.clicked.connect(lambda: self.add_wanted.emit(add.mapToGlobal(QPoint(0, 0))))
        head = QHBoxLayout()
        head.setSpacing(12)
        head.addWidget(title)
        head.addWidget(self._caption, 1)
        head.addWidget(add)
        self._rows = _Rows()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 5, 16, 7)
        layout.setSpacing(3)
        layout.addLayout(head)
        layout.addWidget(self._rows)

    def show_marks(self, marks: tuple[Mark, ...], result: Result | None, scale: Scale, caption: str) -> None:
        """Show the marks and how a result was judged by them."""
        self._caption.say(caption)
        before = len(self._bars)
        while len(self._bars) < len(marks):
            bar, index = MarkBar(), len(self._bars)
            bar.clicked.connect(lambda k=index, b=bar: self.edit_wanted.emit(k, b.mapToGlobal(QPoint(0, 0))))
            self._bars.append(bar)
        while len(self._bars) > len(marks):
            gone = self._bars.pop()
            gone.hide()  # at once: what is deleted later stays in sight until then
            gone.deleteLater()
        if len(self._bars) != before:
            self._rows.show_bars(self._bars)
        for k, (bar, mark) in enumerate(zip(self._bars, marks, strict=True)):
            bar.show_mark(mark, result.verdicts[k] if result is not None and k < len(result.verdicts) else None, scale)

    @property
    def bars(self) -> list[MarkBar]:
        """The bars from left to right."""
        return self._bars
