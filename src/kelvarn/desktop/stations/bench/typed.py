"""A number that is typed for a test: it belongs to no project."""

from PySide6.QtCore import QLocale
from PySide6.QtWidgets import QDoubleSpinBox

from kelvarn.desktop.language import used


class TypedNumber(QDoubleSpinBox):
    """A number with its unit.

    Args:
        name: for those who cannot see it.
        value, low, high: at first, and between which.
        unit: after it.

    Attributes:
        typed: whether somebody has changed it.
    """

    def __init__(self, name: str, value: float, low: float, high: float, unit: str) -> None:
        super().__init__()
        self.typed = False
        self._puts = False
        self.setRange(low, high)
        self.setDecimals(1)
        self.setLocale(QLocale(used()))
        self.setSuffix(f" {unit}")
        self.setAccessibleName(name)
        self.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
        super().setValue(value)
        self.valueChanged.connect(self._changed)

    def _changed(self) -> None:
        self.typed = self.typed or not self._puts

    def put(self, value: float) -> None:
        """Put a value that nobody has typed."""
        self._puts = True
        super().setValue(value)
        self._puts = False

    @property
    def number(self) -> float:
        """What it is."""
        return float(super().value())
