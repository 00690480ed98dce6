"""The wiring as it will be built: the drawing, and below it what to buy, or the table of terminals."""

from PySide6.QtCore import QByteArray, QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtSvg import QSvgRenderer
from PySide6.QtWidgets import (
    QAbstractItemView,
    QButtonGroup,
    QHBoxLayout,
    QHeaderView,
    QPushButton,
    QSplitter,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from kelvarn.desktop import theme
from kelvarn.desktop.language import tell, told
from kelvarn.desktop.parts.panel import Scrolled
from kelvarn.desktop.parts.spoken import Role, Spoken
from kelvarn.desktop.parts.table import ReadTable
from kelvarn.handover.wiring.circuit import Circuit
from kelvarn.handover.wiring.drawing import Colors, drawing
from kelvarn.handover.wiring.parts_list import parts_list
from kelvarn.handover.wiring.terminals import terminals
from kelvarn.handover.wiring.warnings import Warned
from kelvarn.sentence import say

_LARGEST, _LEAST_WIDTH = 1.25, 420
_BUY, _WIRES = (say("part"), say("has to stand"), say("why")), (say("from"), say("through"), say("to"), say("lead"))


class Drawing(QWidget, Spoken):
    """A drawing, as wide as there is room; it scrolls down."""

    role = Role.Graphic

    def __init__(self) -> None:
        super().__init__()
        self._svg = QSvgRenderer(self)
        self._size = QSize(1, 1)
        self.setAccessibleName(tell("The wiring, drawn"))
        self.setMinimumWidth(_LEAST_WIDTH)

    def show_svg(self, svg: str, says: str) -> None:
        """Show a drawing; what it says, for who does not see it."""
        self._svg.load(QByteArray(svg.encode()))
        self._size = self._svg.defaultSize()
        self.setAccessibleDescription(says)
        self._fit()
        self.update()

    def _scale(self) -> float:
        return min(_LARGEST, self.width() / max(self._size.width(), 1))

    def _fit(self) -> None:
        self.setMinimumHeight(round(self._size.height() * self._scale()))

    def resizeEvent(self, event: object) -> None:
        del event
        self._fit()

    def paintEvent(self, event: QPaintEvent) -> None:
        del event
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        scale = self._scale()
        self._svg.render(painter, QRectF(0, 0, self._size.width() * scale, self._size.height() * scale))
        painter.end()


class WiringView(QWidget):
    """Drawing and tables."""

    def __init__(self) -> None:
        super().__init__()
        self.drawing = Drawing()
        self.table = ReadTable(tell("What to buy, or the terminals"))
        self.table.verticalHeader().hide()
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.NoSelection)
        self.table.setWordWrap(True)
        lower = QWidget()
        column = QVBoxLayout(lower)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        row = QHBoxLayout()
        group = QButtonGroup(self)
        self.chips: dict[str, QPushButton] = {}
        for name in (say("to buy"), say("terminals")):
            chip = QPushButton(f"  {told(name)}  ")
            chip.setCheckable(True)
            chip.setProperty("chip", True)
            chip.clicked.connect(lambda _=False: self._fill())
            group.addButton(chip)
            row.addWidget(chip)
            self.chips[name] = chip
        self.chips["to buy"].setChecked(True)
        row.addStretch(1)
        column.addLayout(row)
        column.addWidget(self.table, 1)
        split = QSplitter(Qt.Orientation.Vertical)
        split.addWidget(Scrolled(self.drawing))
        split.addWidget(lower)
        split.setChildrenCollapsible(False)
        split.setStretchFactor(0, 3)
        split.setStretchFactor(1, 2)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(split)
        self._circuit: Circuit | None = None

    def show_circuit(self, circuit: Circuit, warned: list[Warned]) -> None:
        """Show a wiring."""
        self._circuit, look = circuit, theme.current()
        names = ("ink", "muted", "ember", "gold", "panel")
        colors = Colors(*(look.color(name).name() for name in names))
        wires = "; ".join(f"{each.begins} to {each.ends}" for each in terminals(circuit))
        self.drawing.show_svg(drawing(circuit, warned, colors), wires)
        self._fill()

    def _fill(self) -> None:
        if self._circuit is None:
            return
        buys = self.chips["to buy"].isChecked()
        heads = _BUY if buys else _WIRES
        rows = parts_list(self._circuit) if buys else terminals(self._circuit)
        self.table.setColumnCount(len(heads))
        self.table.setHorizontalHeaderLabels([told(head) for head in heads])
        self.table.setRowCount(len(rows))
        for row, cells in enumerate(rows):
            for column, text in enumerate(cells):
                self.table.setItem(row, column, QTableWidgetItem(told(text)))
        header = self.table.horizontalHeader()
        header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        header.setStretchLastSection(True)
        self.table.resizeRowsToContents()
