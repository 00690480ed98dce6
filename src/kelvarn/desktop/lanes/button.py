"""The small list at the strip's left edge: which lanes are shown."""

from functools import partial

from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QMenu, QPushButton

from kelvarn.desktop import theme
from kelvarn.desktop.lanes.choice import LANES
from kelvarn.desktop.language import tell
from kelvarn.desktop.state.document import Document
from kelvarn.desktop.strip.strip import Strip


class LanesButton(QPushButton):
    """Chooses lanes; the choice is kept with the project.

    Args:
        document: what is edited.
        strip: at whose lower left corner it stands.
    """

    def __init__(self, document: Document, strip: Strip) -> None:
        super().__init__(tell("lanes"), strip)
        self._document, self._strip = document, strip
        self.setProperty("link", True)
        self.setFont(theme.font("small"))
        self.setAccessibleName(tell("Lanes of the strip"))
        self.setToolTip(tell("Choose which lanes are shown"))
        self.clicked.connect(lambda: self.menu_of_lanes().popup(self.mapToGlobal(QPoint(0, -self.height()))))
        strip.resized.connect(self._place)
        self._place()

    def _place(self) -> None:
        self.adjustSize()
        self.move(0, self._strip.height() - self.height())

    def menu_of_lanes(self) -> QMenu:
        """All lanes, those shown with a tick."""
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        shown = self._document.project.lanes
        for key, lane in LANES.items():
            action = menu.addAction(tell(lane.words))
            action.setCheckable(True)
            action.setChecked(key in shown)
            action.setEnabled(key not in shown or len(shown) > 1)
            action.triggered.connect(partial(self._toggle, key))
        return menu

    def _toggle(self, key: str) -> None:
        shown = self._document.project.lanes
        kept = tuple(each for each in LANES if (each in shown) != (each == key))
        self._document.set(
            ("lanes",),
            kept,
            tell("hide lane: {words}" if key in shown else "show lane: {words}", words=LANES[key].words),
        )
