"""The foot of Rig: can it do the job, what holds it, and what the model leaves out."""

from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QFrame, QHBoxLayout, QVBoxLayout

from kelvarn.desktop.fields.plain import heading
from kelvarn.desktop.language import tell
from kelvarn.desktop.parts.elided import ElidedLine
from kelvarn.desktop.parts.plain import PlainLabel
from kelvarn.model.rig import Rig
from kelvarn.sentence import joined
from kelvarn.units import Scale
from kelvarn.words.limitations import limitations

from .words import holding_text, verdict_text


class RigFoot(QFrame):
    """See the module."""

    def __init__(self) -> None:
        super().__init__()
        self.setProperty("foot", True)
        self.verdict = PlainLabel()
        self.verdict.setWordWrap(True)
        self.more = ElidedLine("small", "muted", ground="panel")
        self.more.setAccessibleName(tell("Holding duty, and what the model leaves out"))
        row = QHBoxLayout()
        row.setSpacing(14)
        row.addWidget(heading(tell("Can it do the job?")))
        row.addWidget(self.verdict, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 8, 16, 6)
        layout.setSpacing(2)
        layout.addLayout(row)
        layout.addWidget(self.more)

    def _give_room(self) -> None:
        """All lines of the verdict: a label that wraps does not ask again by itself when its text changes."""
        self.verdict.setMinimumHeight(max(0, self.verdict.heightForWidth(max(self.verdict.width(), 200))))

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._give_room()

    def show_rig(
        self, rig: Rig, setpoint_degC: float, scale: Scale, flat_out_s: float | None, held: list[tuple[float, float]]
    ) -> None:
        """Say it for a rig and a setpoint; time flat out and what is held as far as they are known."""
        self.verdict.setText(tell(verdict_text(rig, setpoint_degC, scale, flat_out_s)))
        holding = tell(holding_text(held, scale))
        left = tell("Left out: {what}.", what=joined("; ", limitations(rig)))
        self._give_room()
        self.more.say(f"{holding}.   {left}" if holding else left)
