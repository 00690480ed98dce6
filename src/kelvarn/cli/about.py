"""What this Kelvarn is and runs on, for reports of what went wrong; nothing of the user's is in it."""

import platform
import sys
from collections.abc import Iterator
from importlib import metadata

from kelvarn import __version__

_PARTS = (
    "PySide6-Essentials", "numpy", "scipy", "numba", "llvmlite", "pydantic", "typer", "Jinja2", "pyqtgraph", "pyserial",
    "paho-mqtt", "pymodbus", "platformdirs", "polib",
)  # fmt: skip


def about_lines() -> Iterator[str]:
    """A line for each part: its name, version and licence."""
    yield f"kelvarn {__version__} (MIT)"
    yield f"Python {platform.python_version()} on {platform.system()} {platform.machine()}, {sys.byteorder}-endian"
    for name in _PARTS:
        try:
            found = metadata.metadata(name)
        except metadata.PackageNotFoundError:
            yield f"{name}: not installed"
            continue
        yield f"{name} {found['Version']} ({_licence(found.json)})"


def _licence(told: dict[str, str | list[str]]) -> str:
    """The licence that a package names."""
    if expression := told.get("license_expression"):
        return str(expression)
    classes = [str(each) for each in told.get("classifier") or []]
    named = [each.rpartition(" :: ")[2] for each in classes if each.startswith("License ::")]
    short = str(told.get("license") or "").strip().splitlines()
    return ", ".join(named) or (short[0][:60] if short else "see its files")
