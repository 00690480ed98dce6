"""Whether there is a display to open a window on: Qt itself ends the program where it finds none."""

import os
import socket
from contextlib import suppress
from pathlib import Path

_X_PORT = 6000
_PATIENCE_S = 3.0


def has_display() -> bool:
    """Whether a display is named that answers, or Qt is told to do without one."""
    platform = os.environ.get("QT_QPA_PLATFORM", "").partition(":")[0].partition(";")[0]
    if platform and platform not in ("xcb", "wayland", "wayland-egl"):
        return True
    wayland, x = os.environ.get("WAYLAND_DISPLAY"), os.environ.get("DISPLAY")
    folder = Path(os.environ.get("XDG_RUNTIME_DIR", "/nowhere"))
    if wayland and not platform.startswith("xcb") and _answers(socket.AF_UNIX, str(folder / wayland)):
        return True
    return bool(x) and not platform.startswith("wayland") and _x_answers(str(x))


def _x_answers(display: str) -> bool:
    host, _, number = display.rpartition(":")
    number = number.partition(".")[0]
    if not number.isdigit():
        return False
    if host in ("", "unix"):
        path = f"/tmp/.X11-unix/X{number}"
        if _answers(socket.AF_UNIX, path) or _answers(socket.AF_UNIX, f"\0{path}"):
            return True
        host = "localhost"
    return _answers(socket.AF_INET, (host, _X_PORT + int(number)))


def _answers(family: int, address: str | tuple[str, int]) -> bool:
    with suppress(OSError, OverflowError, ValueError), socket.socket(family) as asked:
        asked.settimeout(_PATIENCE_S)
        asked.connect(address)
        return True
    return False
