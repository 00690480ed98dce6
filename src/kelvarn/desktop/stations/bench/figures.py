"""Big figures, readable from across the room, with the stop; and the measures beside what the trial promised."""

import numpy as np
from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from kelvarn.desktop import theme
from kelvarn.desktop.fields.plain import heading, small
from kelvarn.desktop.parts import texts
from kelvarn.desktop.parts.plain import PlainLabel
from kelvarn.desktop.parts.texts import At
from kelvarn.engine.layout import Floats
from kelvarn.engine.plant import Drive
from kelvarn.link.bench.session import Session
from kelvarn.units import Quantity, Scale, show

from .scene import Live

_HEIGHT, _BAR = 128, 16
_SETTLES_S = 300.0


class BigFigures(QWidget):
    """Measured and setpoint in large figures, the drive as a bar; hatched where they are stale."""

    def __init__(self) -> None:
        super().__init__()
        self.setMinimumHeight(_HEIGHT)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Measured, setpoint and drive")
        self._session: Session | None = None
        self._scale = Scale.CELSIUS
        self._below = ""

    def sizeHint(self) -> QSize:
        return QSize(260, _HEIGHT)

    def show_session(self, session: Session | None, scale: Scale, below: str) -> None:
        """Show the last sample, and a line below it."""
        self._session, self._scale, self._below = session, scale, below
        last = None if session is None else session.last
        if last is not None:
            degC = "no reading" if last.reading_degC is None else self._text(last.reading_degC)
            self.setAccessibleDescription(f"{degC}, setpoint {self._text(last.setpoint_degC)}, drive {last.given:.0%}")
        self.update()

    def _text(self, degC: float) -> str:
        return show(degC, Quantity.TEMPERATURE, self._scale)

    def paintEvent(self, event: QPaintEvent) -> None:
        del event
        painter, look = QPainter(self), theme.current()
        width = float(self.width())
        texts.paint(painter, QRectF(0, 0, width / 2, 18), "Measured", look.color("muted"), bold=True)
        texts.paint(
            painter, QRectF(width / 2, 0, width / 2, 18), "Setpoint", look.color("muted"), bold=True, at=At.RIGHT
        )
        last = None if self._session is None else self._session.last
        if last is None:
            texts.paint(painter, QRectF(0, 26, width, 40), "–", look.color("muted"), "big")
            painter.end()
            return
        stale = self._session is not None and self._session.is_stale
        ink = look.color("muted" if stale else "ink")
        degC = "no reading" if last.reading_degC is None else self._text(last.reading_degC)
        texts.paint(painter, QRectF(0, 18, width * 0.66, 48), degC, ink, "huge", bold=True, cut=True)
        texts.paint(painter, QRectF(width * 0.62, 28, width * 0.38, 34), self._text(last.setpoint_degC), ink, "big",
                    bold=True, at=At.RIGHT)  # fmt: skip
        texts.paint(painter, QRectF(0, 64, width, 18), self._below, look.color("muted"), "small", cut=True)
        watts = _watts(self._session, 1 if last.given >= 0 else -1) if self._session is not None else 0.0
        more = f", {show(abs(last.given) * watts, Quantity.POWER)}" if watts else ""
        texts.paint(painter, QRectF(0, 86, width, 18), "Drive", look.color("ink"), bold=True)
        texts.paint(painter, QRectF(0, 86, width, 18), f"{show(last.given, Quantity.DRIVE)}{more}", ink, bold=True,
                    at=At.RIGHT)  # fmt: skip
        bar = QRectF(0.5, 107.5, width - 1, _BAR)
        painter.setPen(look.color("hairline"))
        painter.drawRect(bar)
        filled = QRectF(bar.left(), bar.top(), bar.width() * min(abs(last.given), 1.0), bar.height())
        painter.fillRect(filled, look.color("ember" if last.given >= 0 else "glacier"))
        if stale:
            painter.fillRect(QRectF(0, 18, width, 48), theme.current().color("hairline"))
            painter.setPen(look.color("gold"))
            painter.setBrush(Qt.BrushStyle.BDiagPattern)
            painter.drawRect(QRectF(0.5, 18.5, width - 1, 47))
            age = self._session.age_s() if self._session is not None else None
            said = f"{degC}, {age or 0:.0f} s old"
            texts.paint(painter, QRectF(0, 18, width, 48), said, look.color("ink"), bold=True, at=At.CENTRE)
        painter.end()


def _watts(session: Session, way: int) -> float:
    """Power of all drives that go a way, at full drive; a fan heats nothing."""
    rig = session.carried.project.rig
    drives = session.carried.known.rows[Drive]
    those = zip(rig.drives, drives, strict=True)
    return sum(abs(getattr(drive, "power_W", 0.0)) for drive, record in those
               if record.direction == way and not record.moves)  # fmt: skip


class StopButton(QPushButton):
    """The stop: large, always there, never disabled while a device is spoken with."""

    def __init__(self) -> None:
        super().__init__("Stop heating")
        self.setProperty("stop", True)
        self.setMinimumHeight(54)
        self.setFont(theme.font("title", bold=True))
        self.setToolTip("Esc, from anywhere in the program")


class Against(QWidget):
    """Measures of what was seen so far, each beside what the trial promised."""

    def __init__(self) -> None:
        super().__init__()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(3)
        head = QHBoxLayout()
        head.addWidget(heading("Against the trial"))
        head.addStretch(1)
        self._expected = small("expected")
        self._expected.setWordWrap(False)
        head.addWidget(self._expected)
        layout.addLayout(head)
        grid = QGridLayout()
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setVerticalSpacing(2)
        self._rows: list[tuple[PlainLabel, PlainLabel, PlainLabel]] = []
        for row in range(5):
            labels = PlainLabel(), PlainLabel(), small("")
            for column, label in enumerate(labels):
                if column:
                    label.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                grid.addWidget(label, row, column)
            labels[1].setFont(theme.font(bold=True))
            labels[2].setWordWrap(False)
            self._rows.append(labels)
        grid.setColumnStretch(0, 1)
        layout.addLayout(grid)

    def show_live(self, live: Live | None) -> None:
        """Show what can be said."""
        found = [] if live is None else measures_of(live)
        for k, (name, value, expected) in enumerate(self._rows):
            texts_of = found[k] if k < len(found) else ("", "", "")
            name.setText(texts_of[0])
            value.setText(texts_of[1])
            expected.setText(texts_of[2])


def measures_of(live: Live) -> list[tuple[str, str, str]]:
    """Each measure with its value so far ("…" where it cannot be said yet) and what was expected."""
    if live.expected is None:
        return [("Nothing is expected of it yet.", "", "")]
    session, scale, run = live.session, live.scale, live.expected.run
    rig, band = session.carried.project.rig, session.carried.trial.band_K
    history, from_s = session.history, live.expected.from_s
    time_s, measured, setpoint = (history.of(name) for name in ("time_s", "measured_degC", "setpoint_degC"))
    inside = (time_s >= from_s) & np.isfinite(measured)
    time_s, measured, setpoint = time_s[inside] - from_s, measured[inside], setpoint[inside]
    if time_s.size < 2:
        return []
    upto = run.time_s <= time_s[-1]
    over, expected_over = (_overshoot(y, r, band) for y, r in
                           ((measured, setpoint), (run.measured_degC, run.setpoint_degC)))  # fmt: skip
    settled = _settled(time_s, np.abs(measured - setpoint), band)
    promised = _settled(run.time_s, np.abs(run.measured_degC - run.setpoint_degC), band)
    watts = _watts(session, 1 if rig.heats else -1)
    given = np.abs(history.of("given")[inside])
    energy_J = float(np.trapezoid(given, time_s)) * watts
    promised_J = float(np.trapezoid(np.abs(run.drive[upto]), run.time_s[upto])) * watts
    rows = [
        ("Overshoot", _or_dots(over, Quantity.DIFFERENCE, scale), _exp(expected_over, Quantity.DIFFERENCE, scale)),
        ("Settled", _or_dots(settled, Quantity.DURATION, scale), _exp(promised, Quantity.DURATION, scale)),
    ]
    hottest, expected_hottest = float(measured.max()), float(run.measured_degC.max())
    rows.append((f"Hottest: {rig.probe.name}", show(hottest, Quantity.TEMPERATURE, scale),
                 _exp(expected_hottest, Quantity.TEMPERATURE, scale)))  # fmt: skip
    if watts:
        rows.append(("Energy so far", show(energy_J, Quantity.ENERGY), _exp(promised_J, Quantity.ENERGY, scale)))
    off = float(np.sqrt(np.mean((measured - np.interp(time_s, run.time_s, run.measured_degC)) ** 2)))
    rows.append(("Off the expected", f"{show(off, Quantity.DIFFERENCE, scale)} rms", ""))
    return rows


def _overshoot(y: Floats, r: Floats, band: float) -> float | None:
    """By how much it went past the setpoint, seen from where it began; None as long as the peak is not behind it."""
    side = 1.0 if y[0] <= r[0] else -1.0
    ahead = side * (y - r)
    there = np.flatnonzero(ahead >= -band)
    if not there.size:
        return None
    after = ahead[there[0] :]
    peak = int(np.argmax(after))
    if peak == after.size - 1 or float(after[peak] - after[-1]) < 0.1 * band:
        return None
    return max(float(after[peak]), 0.0)


def _settled(time_s: Floats, off: Floats, band: float) -> float | None:
    """Since when it stays inside the band; None where it does not, or not for long enough to say so."""
    outside = np.flatnonzero(off > band)
    first = 0 if not outside.size else int(outside[-1]) + 1
    if first >= time_s.size or time_s[-1] - time_s[first] < min(_SETTLES_S, 0.1 * max(float(time_s[-1]), 1.0)):
        return None
    return float(time_s[first])


def _or_dots(value: float | None, quantity: Quantity, scale: Scale) -> str:
    return "…" if value is None else show(value, quantity, scale)


def _exp(value: float | None, quantity: Quantity, scale: Scale) -> str:
    return "" if value is None else show(value, quantity, scale)
