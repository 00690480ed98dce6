"""What is no longer needed: the interpreter's collector on the window's thread alone, and memory that goes back.

What nobody refers to any more but itself is else cleared away on whichever thread asks for memory. Where a widget is
among it, that thread would wait for the interpreter with a lock of Qt's that the window's thread needs.
"""

import ctypes
import gc
from contextlib import suppress

from PySide6.QtCore import QObject, QTimer

_CLEARS_MS = 400
_MMAP_THRESHOLD, _ARENA_MAX = -3, -8  # of mallopt(3), as malloc.h of the GNU C library numbers them
_LARGE_BYTES, _ARENAS = 1 << 20, 2


def give_back() -> None:
    """Let the C library give large pieces back to the system at once, and keep few stores beside each other.

    To be called before there are threads. By itself it takes ever larger pieces from its stores, and each thread has
    one of its own, so that over days what is free between pieces in use adds up. Nothing happens with another library.
    """
    with suppress(AttributeError, OSError):
        mallopt = ctypes.CDLL(None).mallopt
        mallopt(_MMAP_THRESHOLD, _LARGE_BYTES)
        mallopt(_ARENA_MAX, _ARENAS)


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
