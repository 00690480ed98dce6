"""Where something is to be written, asked of the user."""

import os
import re
from pathlib import Path

from PySide6.QtWidgets import QFileDialog, QWidget

from .boxes import Boxes, Button


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
    text = f"{path.name} exists already. Replace it?"
    if os.path.exists(path) and Boxes(parent).ask(text, Button.Save | Button.Cancel) != Button.Save:
        return None
    return path
