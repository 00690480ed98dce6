"""The three columns of a station, and the why line under a strip."""

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFrame, QLabel, QScrollArea, QSizePolicy, QSplitter, QWidget

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


class WhyLine(QLabel):
    """One sentence on what the controller decides at the cursor, and why."""

    def __init__(self) -> None:
        super().__init__()
        self.setFont(theme.font())
        self.setMinimumHeight(22)
        self.setIndent(50)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Why: the controller's decision at the cursor")

    def say(self, sentence: str, *, wrong: bool = False) -> None:
        """Show a sentence."""
        role = "wrong" if wrong else ""
        if self.property("role") != role:
            self.setProperty("role", role)
            self.style().unpolish(self)
            self.style().polish(self)
        self.setText(sentence)
        self.setToolTip(sentence)
