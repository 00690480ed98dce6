"""Wiring and parts, at Handover: what is shown left, in the middle and right of it."""

from PySide6.QtWidgets import QCheckBox, QVBoxLayout, QWidget

from kelvarn.desktop import theme
from kelvarn.desktop.fields.plain import heading
from kelvarn.desktop.language import capital, tell
from kelvarn.desktop.parts.plain import set_shown
from kelvarn.desktop.state.document import Document
from kelvarn.desktop.state.view import View
from kelvarn.handover.wiring.circuit import circuit_of
from kelvarn.handover.wiring.warnings import Warned, warnings_of
from kelvarn.model.wiring import BY_HAND, SeenBy

from .wiring_parts import PartPanel, PartsList, parts_of
from .wiring_view import WiringView


class WiringPages:
    """Parts, drawing and panel, which know of each other.

    Args:
        document, view: the project, and in which units it is shown.

    Attributes:
        parts, view, panel: for the left column, the middle, the right column.
        warned: what is wrong.
    """

    def __init__(self, document: Document, view: View) -> None:
        self._document = document
        self._chosen = ""
        self._shown: object = None
        self.warned: list[Warned] = []
        self.parts = PartsList(self._choose)
        self.view = WiringView()
        self.part = PartPanel(document, view)
        self.panel = QWidget()
        column = QVBoxLayout(self.panel)
        column.setContentsMargins(0, 0, 0, 14)
        column.addWidget(self.part)
        column.addSpacing(8)
        column.addWidget(heading(tell("To be tried by hand")))
        self.ticks: dict[SeenBy, QCheckBox] = {}
        for key, text in BY_HAND.items():
            tick = self.ticks[key] = QCheckBox(capital(text))
            tick.clicked.connect(lambda on, k=key: self._tick(k, on))
            column.addWidget(tick)

    def _tick(self, key: SeenBy, on: bool) -> None:
        before = self._document.project.wiring.seen_to
        after = tuple(each for each in BY_HAND if (on if each == key else each in before))
        self._document.set(("wiring", "seen_to"), after, f"{'tick' if on else 'untick'}: {BY_HAND[key]}")

    def _choose(self, name: str) -> None:
        self._chosen = name
        self.refresh(shown=True)

    def refresh(self, *, shown: bool) -> None:
        """Show the wiring of the project, or hide it."""
        for widget in (self.parts, self.view, self.panel):
            set_shown(widget, shown)
        if not shown:
            return
        for key, tick in self.ticks.items():
            tick.setChecked(key in self._document.project.wiring.seen_to)
        circuit = circuit_of(self._document.project)
        names = parts_of(circuit)
        self.warned = warnings_of(circuit)
        if self._chosen not in names:
            self._chosen = next((each.part for each in self.warned if each.part in names), names[0])
        self.parts.refresh(circuit, self.warned, self._chosen)
        self.part.refresh(circuit, self.warned, self._chosen)
        subject = circuit, theme.current().name
        if subject != self._shown:
            self._shown = subject
            self.view.show_circuit(circuit, self.warned)
