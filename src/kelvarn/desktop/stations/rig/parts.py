"""The bar below the heat path: parts are added and removed here."""

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QHBoxLayout, QMenu, QPushButton, QWidget

from kelvarn.desktop import theme
from kelvarn.desktop.language import tell
from kelvarn.desktop.parts.boxes import Guarded
from kelvarn.desktop.parts.plain import plain_tip
from kelvarn.model.drives import DRIVE_KINDS
from kelvarn.model.fields import SURROUNDINGS

from .actions import RigActions
from .keys import parse_key


class PartsBar(QWidget):
    """“+ body”, “+ heat loss”, “+ link”, “+ fan-driven link”, “+ draw-off”, “+ drive”, “+ probe”, “remove”.

    Args:
        edits: what they do.
        guarded: runs work whose faults are said to the user.
    """

    def __init__(self, edits: RigActions, guarded: Guarded) -> None:
        super().__init__()
        self._edits, self._guarded = edits, guarded
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 0, 14, 6)
        row.setSpacing(12)

        def button(text: str, tip: str, work: Callable[[], object]) -> QPushButton:
            made = QPushButton(text)
            made.setProperty("link", True)
            made.setFont(theme.font("small", bold=True))
            made.setToolTip(plain_tip(tip))
            made.clicked.connect(lambda: guarded(work)())
            row.addWidget(made)
            return made

        self.add_body = button(tell("+ body"), tell("A body linked to the selected one (Ctrl+B)"), edits.add_body)
        self.add_loss = button(
            tell("+ heat loss"), tell("A link from the selected body to the surroundings (Ctrl+L)"), edits.add_loss
        )
        self.add_link = button(tell("+ link …"), tell("A link from the selected body to another one"), self._ask_link)
        self.add_fan = button(
            tell("+ fan-driven link"),
            tell("A fan drives the selected link, or the selected body's loss"),
            edits.add_fan_link,
        )
        self.add_draw_off = button(
            tell("+ draw-off"), tell("Liquid or air drawn from the selected body"), edits.add_draw_off
        )
        self.add_drive = button(tell("+ drive …"), tell("Another drive, on the selected body"), self._ask_drive)
        self.add_probe = button(tell("+ probe"), tell("Another probe, in the selected body"), edits.add_probe)
        row.addStretch(1)
        self.remove = button(tell("remove"), tell("Remove the selected part (Delete)"), edits.remove)

    def refresh(self) -> None:
        """Offer what can be done with the selected part."""
        body, free = self._edits.body, self._edits.can_link()
        self.add_loss.setEnabled(SURROUNDINGS in free)
        self.add_link.setEnabled(any(other != SURROUNDINGS for other in free))
        for bodily in (self.add_body, self.add_fan, self.add_draw_off):
            bodily.setEnabled(self._edits.whole)
        self.remove.setEnabled((self._edits.whole and body is not None) or parse_key(self._edits.selected) is not None)

    def link_menu(self) -> QMenu:
        """What the selected body can be linked to."""
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        for other in self._edits.can_link():
            if other != SURROUNDINGS:
                menu.addAction(other.replace("&", "&&"), partial(self._edits.link, other))
        return menu

    def drive_menu(self) -> QMenu:
        """Kinds of drives."""
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        for kind, of_kind in DRIVE_KINDS.items():
            menu.addAction(tell(of_kind.what), self._guarded(partial(self._edits.add_drive, kind)))
        return menu

    def _ask_link(self) -> None:
        self.link_menu().popup(self.add_link.mapToGlobal(QPoint(0, self.add_link.height())))

    def _ask_drive(self) -> None:
        self.drive_menu().popup(self.add_drive.mapToGlobal(QPoint(0, self.add_drive.height())))
