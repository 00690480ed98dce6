"""The boxes in which something is said or asked."""

import os
import re
from collections.abc import Callable
from pathlib import Path

from pydantic import ValidationError
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFileDialog, QMessageBox, QWidget

from kelvarn.desktop.language import capital, fault_told, tell, told
from kelvarn.files.faults import FileError
from kelvarn.fit.observed import FitError
from kelvarn.model.edit import EditError
from kelvarn.units import Scale, retold

Guarded = Callable[[Callable[[], object]], Callable[[], bool]]
"""Makes of work one whose faults of the user are said in a box; it gives whether all went well."""
Button = QMessageBox.StandardButton


def first_sentence(error: ValidationError, scale: Scale = Scale.CELSIUS) -> str:
    """The first fault found, as a sentence for beside a field, in the scale shown."""
    found = error.errors(include_url=False)[0]
    raised = found.get("ctx", {}).get("error")
    text = fault_told(raised) if isinstance(raised, Exception) else str(found["msg"])
    if found["type"] == "string_too_short":
        text = tell("a name is needed")
    elif found["type"] == "string_too_long":
        text = tell("at most {count} characters", count=found["ctx"]["max_length"])
    text = retold(text, scale)
    return capital(text) + ("" if text.endswith(".") else ".")


def make_box(parent: QWidget, text: str, buttons: Button = Button.NoButton) -> QMessageBox:
    """A box with a text, shown as it is."""
    box = QMessageBox(parent)
    box.setWindowTitle("Kelvarn")
    box.setTextFormat(Qt.TextFormat.PlainText)
    box.setText(told(text))
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
                self.complain(fault_told(error))
                return False
            except ValidationError as error:
                self.complain(first_sentence(error, self._scale()))
                return False
            return True

        return run


def ask_where(parent: QWidget, title: str, suggested: Path, kinds: str) -> Path | None:
    """Ask where to write; None where that was given up.

    Args:
        parent, title: of the dialog.
        suggested: folder and name that it begins with.
        kinds: as dialogs have them, such as "PDF (*.pdf);;HTML (*.html)"; a name without a suffix of theirs gets that
            of the kind chosen, else the first one.
    """
    name, kind = QFileDialog.getSaveFileName(parent, title, str(suggested), kinds)
    if not name:
        return None
    path = Path(name)
    suffixes = re.findall(r"\*(\.\w+)", kinds)
    if path.suffix.lower() in suffixes:
        return path
    chosen = re.findall(r"\*(\.\w+)", kind or "") or suffixes
    path = path.with_name(path.name + chosen[0])
    # The dialog has only asked about the name as it was typed.
    text = tell("{path} exists already. Replace it?", path=path.name)
    if os.path.exists(path) and Boxes(parent).ask(text, Button.Save | Button.Cancel) != Button.Save:
        return None
    return path
