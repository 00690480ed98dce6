"""Days of the week, as seven chips."""

from PySide6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from kelvarn.desktop.fields.binding import Binding, Wrong
from kelvarn.model.guards import DAYS


class DaysField(QWidget):
    """Days that can be put on and off; one stays on."""

    def __init__(self, binding: Binding) -> None:
        super().__init__()
        self._binding = binding
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(2)
        self.chips: dict[str, QPushButton] = {}
        for day in DAYS:
            chip = QPushButton(day[:2])
            chip.setCheckable(True)
            chip.setProperty("chip", True)
            chip.setMinimumWidth(24)
            chip.setAccessibleName(f"{binding.title}: {day}")
            chip.clicked.connect(self._take)
            self.chips[day] = chip
            layout.addWidget(chip, 1)
        self.refresh()

    def refresh(self) -> None:
        """Show what the project has."""
        if self._binding.alive:
            for day, chip in self.chips.items():
                chip.setChecked(day in self._binding.value)

    def _take(self) -> None:
        wanted = tuple(day for day, chip in self.chips.items() if chip.isChecked())
        try:
            if wanted:
                self._binding.put(wanted)
        except Wrong as error:
            self.setToolTip(str(error))
        self.refresh()
