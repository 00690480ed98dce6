"""The interpreter's collector, on the window's thread alone.

What nobody refers to any more but itself is else cleared away on whichever thread asks for memory. Where a widget is
among it, that thread would wait for the interpreter with a lock of Qt's that the window's thread needs.
"""

import gc

from PySide6.QtCore import QObject, QTimer

_CLEARS_MS = 400


def collect_here(owner: QObject) -> None:
    """Clear away on this thread, as seldom as the interpreter would, for as long as the owner lives.

    Args:
        owner: the application, or what stands for it; its end gives the interpreter its own way back.
    """
    gc.disable()
    timer = QTimer(owner)
    timer.setInterval(_CLEARS_MS)
    timer.timeout.connect(_clear_away)
    timer.start()
    owner.destroyed.connect(gc.enable)


def _clear_away() -> None:
    for generation, (count, most) in reversed(list(enumerate(zip(gc.get_count(), gc.get_threshold(), strict=True)))):
        if count > most:
            gc.collect(generation)
            return
