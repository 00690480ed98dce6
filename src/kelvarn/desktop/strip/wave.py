"""A few periods of a quick wave, drawn large in its lane for the instant of the cursor: its time is its own."""

from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QPainter, QPen, QPolygonF

from kelvarn.desktop import theme
from kelvarn.desktop.language import tell
from kelvarn.desktop.parts import texts
from kelvarn.sentence import figures
from kelvarn.units import Quantity, show

from .frame import Frame
from .lane import Wave

_PERIODS = 3
_ROOM = 8.0


def paint_wave(painter: QPainter, wave: Wave, frame: Frame, time_s: float, left: float) -> None:
    """Paint what a drive puts out at an instant.

    Args:
        painter, frame: where.
        wave, time_s: what, and when.
        left: where the title ends, px.
    """
    duty = wave.duty.at(time_s)
    if duty is None:
        return
    look = theme.current()
    text = wave_text(duty, wave.period_s)
    said = texts.laid_out(text, "small").width + _ROOM
    begin, end = left + _ROOM, frame.rect.right() - said - _ROOM
    low, high = frame.rect.bottom() - 4, frame.rect.top() + 4
    if end - begin > 60:
        width = (end - begin) / _PERIODS
        points = []
        for k in range(_PERIODS):
            at = begin + k * width
            points += [(at, low if duty <= 0 else high), (at + duty * width, high if duty > 0 else low)]
            if 0 < duty < 1:
                points += [(at + duty * width, low), (at + width, low)]
        points.append((end, high if duty >= 1 else low))
        painter.setPen(QPen(look.candidate(wave.duty.index), 1.5))
        painter.drawPolyline(QPolygonF([QPointF(x, y) for x, y in points]))
    area = QRectF(frame.rect.right() - said, frame.rect.top(), said, frame.rect.height())
    texts.paint(painter, area, text, look.color("ink"), "small")


def wave_text(duty: float, period_s: float) -> str:
    """A wave in words: how long it is on of each period."""
    period = _short(period_s)
    if duty <= 0:
        return tell("off all of {period}", period=period)
    return (
        tell("on all of {period}", period=period)
        if duty >= 1
        else tell("on {short} of {period}", short=_short(duty * period_s), period=period)
    )


def _short(seconds: float) -> str:
    if seconds < 1e-3:
        return f"{seconds * 1e6:.3g} µs"
    return (
        tell("{seconds} ms", seconds=figures(f"{seconds * 1000.0:.3g}", ""))
        if seconds < 1
        else show(seconds, Quantity.DURATION)
    )
