"""Guards and permits of the rig as two lists, the strongest guard first; a click shows one at the side."""

from collections.abc import Mapping, Sequence
from functools import partial

from PySide6.QtCore import QPoint, Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QMenu, QPushButton, QVBoxLayout, QWidget

from kelvarn.desktop import theme
from kelvarn.desktop.fields.plain import CutLink, heading, link, small
from kelvarn.desktop.language import tell
from kelvarn.desktop.parts.elided import ElidedLine
from kelvarn.desktop.parts.plain import menu_text, plain_tip
from kelvarn.model.guards import GUARD_KINDS, PERMIT_KINDS, RuleBase
from kelvarn.model.rig import Rig
from kelvarn.sentence import joined
from kelvarn.units import Scale

STRONGEST_FIRST = ("cut_off", "trip", "no_rise", "link_lost", "longest_on", "restart", "probe_fault", "alarm")
"""Kinds of guards in the order in which they rule; alarms only report."""


class SafetyList(QWidget):
    """The lists.

    Signals:
        chosen: a guard or permit, by name.
        add_wanted: one of a kind.
    """

    chosen = Signal(str)
    add_wanted = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self._shown: object = None
        self._rows = QVBoxLayout(self)
        self._rows.setContentsMargins(0, 0, 0, 0)
        self._rows.setSpacing(3)
        self.add_guard = link(
            tell("+ guard"), lambda: self._open(self.add_guard, GUARD_KINDS), tell("Add a guard or an alarm")
        )
        self.add_permit = link(
            tell("+ permit"), lambda: self._open(self.add_permit, PERMIT_KINDS), tell("Add a permit")
        )
        self._body = QWidget()
        self._rows.addWidget(self._body)

    def show_rules(self, rig: Rig, selected: str, scale: Scale) -> None:
        """Show the guards and permits of a rig."""
        wanted = (rig.guards, rig.permits, selected, scale, theme.current())
        if wanted == self._shown:
            return
        self._shown = wanted
        body = QWidget()
        column = QVBoxLayout(body)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(3)
        guards = sorted(rig.guards, key=lambda guard: STRONGEST_FIRST.index(guard.kind))
        self._section(column, tell("Guards"), self.add_guard, guards, selected, scale,
                      tell("none yet: what stops the heater when the relay welds?"))  # fmt: skip
        column.addSpacing(6)
        self._section(column, tell("Allowed while"), self.add_permit, rig.permits, selected, scale, tell("always"))
        old, self._body = self._body, body
        self._rows.replaceWidget(old, body)
        old.hide()
        old.deleteLater()

    def _section(
        self, column: QVBoxLayout, title: str, add: QPushButton, rules: Sequence[RuleBase], selected: str,
        scale: Scale, nothing: str,
    ) -> None:  # fmt: skip
        row = QHBoxLayout()
        row.addWidget(heading(title), 1)
        row.addWidget(add)
        column.addLayout(row)
        if not rules:
            column.addWidget(small(nothing))
        for rule in rules:
            column.addWidget(self._row(rule, rule.name == selected, scale))

    def _row(self, rule: RuleBase, selected: bool, scale: Scale) -> QWidget:
        """One guard: its name to be clicked, and what it does, cut where there is no room."""
        row = QWidget()
        layout = QVBoxLayout(row)
        layout.setContentsMargins(0, 0, 0, 2)
        layout.setSpacing(0)
        text = rule.text(scale)
        name = CutLink(f"▸ {rule.name}" if selected else rule.name, joined(": ", (rule.name, text)))
        name.clicked.connect(lambda: self.chosen.emit(rule.name))
        layout.addWidget(name)
        line = ElidedLine("small")
        line.say(text, "muted")
        layout.addWidget(line)
        return row

    def menu(self, kinds: Mapping[str, type[RuleBase]]) -> QMenu:
        """Kinds that can be added."""
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        for kind, of_kind in kinds.items():
            action = menu.addAction(menu_text(of_kind.what), partial(self.add_wanted.emit, kind))
            action.setToolTip(plain_tip((of_kind.__doc__ or "").split("\n")[0]))
        return menu

    def _open(self, button: QPushButton, kinds: Mapping[str, type[RuleBase]]) -> None:
        self.menu(kinds).popup(button.mapToGlobal(QPoint(0, button.height())))
