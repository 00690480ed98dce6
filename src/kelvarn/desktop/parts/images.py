"""Pictures as bytes: written in one piece, so that a disk that is full leaves no half of one."""

from PySide6.QtCore import QBuffer, QIODevice
from PySide6.QtGui import QImage


def open_buffer() -> QBuffer:
    """A buffer to write into."""
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    return buffer


def png_of(image: QImage) -> bytes:
    """An image as PNG."""
    buffer = open_buffer()
    image.save(buffer, "PNG")  # type: ignore[call-overload]
    return bytes(buffer.data().data())
