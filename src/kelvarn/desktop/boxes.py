"""The boxes in which something is said or asked."""

from collections.abc import Callable

from pydantic import ValidationError
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QMessageBox, QWidget

from kelvarn.files.faults import FileError
from kelvarn.fit.observed import FitError
from kelvarn.model.edit import EditError
from kelvarn.units import Scale

from .fields.binding import first_sentence

Guarded = Callable[[Callable[[], object]], Callable[[], bool]]
"""Makes of work one whose faults of the user are said in a box; it gives whether all went well."""
Button = QMessageBox.StandardButton


def make_box(parent: QWidget, text: str, buttons: Button = Button.NoButton) -> QMessageBox:
    """A box with a text, shown as it is."""
    box = QMessageBox(parent)
    box.setWindowTitle("Kelvarn")
    box.setTextFormat(Qt.TextFormat.PlainText)
    box.setText(text)
    box.setStandardButtons(buttons)
    return box


class Boxes:
    """Says and asks, over one window."""

    def __init__(self, parent: QWidget, scale: Callable[[], Scale] = lambda: Scale.CELSIUS) -> None:
        """Boxes over `parent`, whose sentences are in the scale that `scale` gives."""
        self._parent, self._scale = parent, scale

    def complain(self, text: str, details: str = "") -> None:
        """Say what went wrong; what follows the first line goes behind a fold."""
        first, _, rest = text.partition("\n")
        box = make_box(self._parent, first, Button.Ok)
        box.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        if rest or details:
            box.setDetailedText("\n".join(part for part in (rest, details) if part))
        box.open()

    def ask(self, text: str, buttons: Button) -> Button:
        """Ask, and wait for the answer."""
        box = make_box(self._parent, text, buttons)
        try:
            return Button(box.exec())
        finally:
            box.deleteLater()

    def guarded(self, work: Callable[[], object]) -> Callable[[], bool]:
        """See `Guarded`."""

        def run() -> bool:
            try:
                work()
            except (FileError, EditError, FitError) as error:
                self.complain(str(error))
                return False
            except ValidationError as error:
                self.complain(first_sentence(error, self._scale()))
                return False
            return True

        return run
