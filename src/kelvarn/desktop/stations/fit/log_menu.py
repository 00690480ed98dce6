"""The menu of a log."""

from collections.abc import Callable, Sequence
from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QMenu, QWidget

from kelvarn.desktop.language import tell
from kelvarn.desktop.parts.boxes import Guarded
from kelvarn.desktop.parts.plain import menu_text
from kelvarn.model.log import Log

from .actions import LogActions


def log_menu(
    work: LogActions, guarded: Guarded, logs: Sequence[Log], over: str | None, lay_over: Callable[[str], None],
    parent: QWidget,
) -> QMenu:  # fmt: skip
    """What can be done with the log shown.

    Args:
        work, guarded: does it; its faults are said.
        logs, over, lay_over: all logs, the one that is laid over it, and what lays another over it.
        parent: the menu's.
    """
    menu, log = QMenu(parent), work.shown
    menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    if log is None:
        return menu
    for use, text in (
        ("fit", tell("Fit to it")),
        ("check", tell("Only check on it")),
        ("aside", tell("Leave it aside")),
    ):
        action = menu.addAction(text, guarded(partial(work.edits.set, log.name, f"{use} {log.name}", use=use)))
        action.setCheckable(True)
        action.setChecked(log.use == use)
    menu.addSeparator()
    menu.addAction(tell("Rename…"), guarded(work.ask_name))
    menu.addAction(tell("Leave out at the cursor"), guarded(work.leave_out_here))
    for k, span in enumerate(log.left_out):
        text = tell("Let {why} count again", why=span.why or f"span {k + 1}")
        menu.addAction(menu_text(text), guarded(partial(work.edits.take_in, log.name, k)))
    menu.addAction(tell("Note at the cursor…"), guarded(work.ask_note))
    for k, note in enumerate(log.moments):
        menu.addAction(
            menu_text(tell("Remove the note “{note}”", note=note.text)),
            guarded(partial(work.edits.remove_note, log.name, k)),
        )
    menu.addSeparator()
    for other in logs:
        if other.name != log.name:
            action = menu.addAction(
                menu_text(tell("Lay “{other}” over it", other=other.name)), partial(lay_over, other.name)
            )
            action.setCheckable(True)
            action.setChecked(over == other.name)
    menu.addAction(tell("Trial as in this log"), guarded(work.to_trial))
    menu.addAction(tell("Remove the log"), guarded(work.remove))
    return menu
