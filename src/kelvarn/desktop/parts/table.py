"""Tables as all stations have them."""

from PySide6.QtWidgets import QAbstractItemView, QTableWidget


class ReadTable(QTableWidget):
    """A table that is only read, whose rows arrow keys go through and Tab leaves.

    Args:
        title: its accessible name.
        columns: how many.
    """

    def __init__(self, title: str, columns: int = 0) -> None:
        super().__init__(0, columns)
        self.setAccessibleName(title)
        self.setTabKeyNavigation(False)
        self.setShowGrid(False)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
