"""Big figures, readable from across the room, with the stop; and the measures beside what the trial promised."""

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from kelvarn.desktop import theme
from kelvarn.desktop.fields.plain import heading, small
from kelvarn.desktop.language import tell
from kelvarn.desktop.parts import texts
from kelvarn.desktop.parts.plain import PlainLabel
from kelvarn.desktop.parts.spoken import Role, Spoken
from kelvarn.desktop.parts.texts import At
from kelvarn.link.bench.live import Live, measures_of, watts_of
from kelvarn.link.bench.session import Session
from kelvarn.sentence import figures, joined
from kelvarn.units import Quantity, Scale, show

_HEIGHT, _BAR = 128, 16


class BigFigures(QWidget, Spoken):
    """Measured and setpoint in large figures, the drive as a bar; hatched where they are stale."""

    role = Role.StaticText

    def __init__(self) -> None:
        super().__init__()
        self.setMinimumHeight(_HEIGHT)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName(tell("Measured, setpoint and drive"))
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
            degC = tell("no reading") if last.reading_degC is None else self._text(last.reading_degC)
            self.setAccessibleDescription(
                tell(
                    "{degc}, setpoint {setpoint}, drive {given}",
                    degc=degC,
                    setpoint=self._text(last.setpoint_degC),
                    given=figures(f"{last.given:.0%}", ""),
                )
            )
        self.update()

    def _text(self, degC: float) -> str:
        return show(degC, Quantity.TEMPERATURE, self._scale)

    def paintEvent(self, event: QPaintEvent) -> None:
        del event
        painter, look = QPainter(self), theme.current()
        width = float(self.width())
        texts.paint(painter, QRectF(0, 0, width / 2, 18), tell("Measured"), look.color("muted"), bold=True)
        texts.paint(
            painter, QRectF(width / 2, 0, width / 2, 18), tell("Setpoint"), look.color("muted"), bold=True, at=At.RIGHT
        )
        last = None if self._session is None else self._session.last
        if last is None:
            texts.paint(painter, QRectF(0, 26, width, 40), "–", look.color("muted"), "big")
            painter.end()
            return
        stale = self._session is not None and self._session.is_stale
        ink = look.color("muted" if stale else "ink")
        degC = tell("no reading") if last.reading_degC is None else self._text(last.reading_degC)
        texts.paint(painter, QRectF(0, 18, width * 0.66, 48), degC, ink, "huge", bold=True, cut=True)
        texts.paint(painter, QRectF(width * 0.62, 28, width * 0.38, 34), self._text(last.setpoint_degC), ink, "big",
                    bold=True, at=At.RIGHT)  # fmt: skip
        texts.paint(painter, QRectF(0, 64, width, 18), self._below, look.color("muted"), "small", cut=True)
        rig = self._session.carried.project.rig if self._session is not None else None
        watts = 0.0 if rig is None else watts_of(rig, 1 if last.given >= 0 else -1)
        shown: str = show(last.given, Quantity.DRIVE)
        if watts:
            shown = joined(", ", (shown, show(abs(last.given) * watts, Quantity.POWER)))
        texts.paint(painter, QRectF(0, 86, width, 18), tell("Drive"), look.color("ink"), bold=True)
        texts.paint(painter, QRectF(0, 86, width, 18), shown, ink, bold=True,
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
            said = tell("{degc}, {age} s old", degc=degC, age=figures(f"{age or 0:.0f}", ""))
            texts.paint(painter, QRectF(0, 18, width, 48), said, look.color("ink"), bold=True, at=At.CENTRE)
        painter.end()


class StopButton(QPushButton):
    """The stop: large, always there, never disabled while a device is spoken with."""

    def __init__(self) -> None:
        super().__init__(tell("Stop heating"))
        self.setProperty("stop", True)
        self.setMinimumHeight(54)
        self.setFont(theme.font("title", bold=True))
        self.setToolTip(tell("Esc, from anywhere in the program"))


class Against(QWidget, Spoken):
    """Measures of what was seen so far, each beside what the trial promised."""

    role = Role.Chart

    def __init__(self) -> None:
        super().__init__()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(3)
        head = QHBoxLayout()
        head.addWidget(heading(tell("Against the trial")))
        head.addStretch(1)
        self._expected = small(tell("expected"))
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
            labels[0].setWordWrap(True)  # a probe may have a long name
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
