"""The three columns of a station."""

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFrame, QScrollArea, QSplitter, QWidget

from kelvarn.desktop import theme


class Columns(QSplitter):
    """Left, middle and right; all resizable, the outer ones foldable, the middle one takes what is spare."""

    def __init__(self, left: QWidget, middle: QWidget, right: QWidget) -> None:
        super().__init__(Qt.Orientation.Horizontal)
        self.setHandleWidth(theme.GAP)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QFrame.Shape.NoFrame)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        scroll.setWidget(left)
        scroll.setMinimumWidth(190)
        scroll.setViewportMargins(theme.GAP, 0, 0, 0)
        for widget in (scroll, middle, right):
            self.addWidget(widget)
        self.setSizes([theme.LEFT_WIDTH, 700, theme.RIGHT_WIDTH])
        for index, stretch in enumerate((0, 1, 0)):
            self.setStretchFactor(index, stretch)
        self.setCollapsible(1, False)
