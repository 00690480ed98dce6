"""Logs as cards: name, how much, what it is used for and how well the model fits it; below, what else Fit can show."""

from dataclasses import dataclass

from PySide6.QtCore import QPoint, QRectF, Signal
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QButtonGroup, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from kelvarn.desktop import theme
from kelvarn.desktop.fields.plain import heading, link
from kelvarn.desktop.language import tell, told
from kelvarn.desktop.parts import texts
from kelvarn.desktop.parts.card import Card
from kelvarn.desktop.parts.plain import plain_tip
from kelvarn.sentence import joined, say

_HEIGHT = 70
VIEWS = {
    "fit": say("measured and model"),
    "read": say("how the file is read"),
    "changed": say("what has changed"),
    "plan": say("plan the recording"),
    "calibrate": say("calibrate the probe"),
}


@dataclass(frozen=True)
class CardText:
    """What a card says: name, how much, and how it is with it, in a colour role."""

    name: str
    amount: str
    state: str
    role: str


class LogCard(Card):
    """One log."""

    def __init__(self) -> None:
        super().__init__(_HEIGHT)
        self.text = CardText("", "", "", "muted")

    def show_text(self, text: CardText, selected: bool) -> None:
        """Show the present state."""
        self.text, self.chosen = text, selected
        self.setAccessibleName(tell("Log {log}", log=text.name))
        self.setAccessibleDescription(told(joined(", ", (text.amount, text.state))))
        self.setToolTip(plain_tip(f"{text.name}\n{text.amount}\n{text.state}"))
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        del event
        look = theme.current()
        painter = QPainter(self)
        self.paint_frame(painter)
        for top, text, role, kind, bold in (
            (7, self.text.name, "ink", "body", True),
            (28, self.text.amount, "muted", "small", False),
            (47, self.text.state, self.text.role, "small", True),
        ):
            area = QRectF(10, top, self.width() - 20, 18)
            texts.paint(painter, area, text, look.color(role), kind, bold=bold, cut=True)
        painter.end()


class LogCards(QWidget):
    """The list of logs, and of what Fit can show of them.

    Signals:
        selected: a log, by its place.
        menu_wanted: the menu of the selected one, at a global position.
        open_wanted, paste_wanted: a log is to be added.
        view_wanted: what to show, a key of `VIEWS`.
    """

    selected = Signal(int)
    menu_wanted = Signal(QPoint)
    open_wanted = Signal()
    paste_wanted = Signal()
    view_wanted = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.cards: list[LogCard] = []
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 8, 0)
        self._column.setSpacing(6)
        row = QHBoxLayout()
        row.addWidget(heading(tell("Logs")), 1)
        row.addWidget(
            link(tell("+ open"), self.open_wanted.emit, tell("Open a log: CSV, TSV, serial monitor or JSON lines"))
        )
        row.addWidget(link(tell("+ paste"), self.paste_wanted.emit, tell("Paste the rows of a log")))
        self._column.addLayout(row)
        self._list = QVBoxLayout()
        self._list.setSpacing(6)
        self._column.addLayout(self._list)
        self._column.addSpacing(8)
        self._column.addWidget(heading(tell("Fit can show")))
        self.views: dict[str, QPushButton] = {}
        group = QButtonGroup(self)
        for key, title in VIEWS.items():
            button = QPushButton(told(title))
            button.setCheckable(True)
            button.setProperty("chip", True)
            button.clicked.connect(lambda _=False, key=key: self.view_wanted.emit(key))
            group.addButton(button)
            self._column.addWidget(button)
            self.views[key] = button
        self._column.addStretch(1)

    def show_logs(self, found: list[CardText], selected: int, view: str) -> None:
        """Show the logs as they are."""
        while len(self.cards) < len(found):
            card, place = LogCard(), len(self.cards)
            card.clicked.connect(lambda place=place: self.selected.emit(place))
            card.menu_wanted.connect(self.menu_wanted)
            self.cards.append(card)
            self._list.addWidget(card)
        for place, card in enumerate(self.cards):
            card.setVisible(place < len(found))
            if place < len(found):
                card.show_text(found[place], place == selected)
        for key, button in self.views.items():
            button.setChecked(key == view)
