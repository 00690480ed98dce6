"""What the window keeps from one start to the next: its place, look and scale, recent files, where work was left."""

import hashlib
import json
from contextlib import suppress
from pathlib import Path
from typing import Any

from PySide6.QtCore import QSettings

from kelvarn.files.faults import FileError
from kelvarn.files.project_file import load
from kelvarn.model.project import Project

MOST_RECENT = 8


class Session:
    """Settings of the window, kept in the user's configuration; without a place to keep them, for this start only.

    Args:
        settings: where they are kept.
    """

    def __init__(self, settings: QSettings | None) -> None:
        self._settings = settings
        self._here: dict[str, Any] = {}

    def get(self, key: str) -> Any:
        """What is kept under a name; None where nothing is."""
        return self._here.get(key) if self._settings is None else self._settings.value(key)

    def put(self, key: str, value: Any) -> None:
        """Keep it; None forgets."""
        if self._settings is None:
            self._here[key] = value
        elif value is None:
            self._settings.remove(key)
        else:
            self._settings.setValue(key, value)

    @property
    def recent(self) -> list[Path]:
        """Files opened or saved lately, the newest first; those that are gone are left out."""
        return [path for path in self.listed if path.is_file()]

    @property
    def listed(self) -> list[Path]:
        """The same with those that are gone."""
        kept = self.get("recent") or []
        return [Path(each) for each in ([kept] if isinstance(kept, str) else kept)]

    def add_recent(self, path: Path) -> None:
        """A file was opened or saved."""
        others = [each for each in self.recent if each != path]
        self.put("recent", [str(each) for each in (path, *others)][:MOST_RECENT])

    def note(self, path: Path, marks: str) -> None:
        """A project is left, or saved: what its file holds, and how many of its marks were met then; "" for unknown."""
        known = {str(each): found for each in self.recent if (found := self._noted.get(str(each)))}
        self.put("noted", json.dumps(known | {str(path): [_digest(path), marks]}))

    def noted(self, path: Path) -> tuple[str, bool]:
        """How many marks a file opened lately met when it was left, and whether another has changed it since."""
        digest, marks = self._noted.get(str(path), ("", ""))
        return marks, bool(digest) and digest != _digest(path)

    @property
    def _noted(self) -> dict[str, tuple[str, str]]:
        with suppress(ValueError, TypeError):
            kept = json.loads(str(self.get("noted") or "{}"))
            return {str(path): (str(digest), str(marks)) for path, (digest, marks) in kept.items()}
        return {}

    def leave(self, path: Path | None, **names: str) -> None:
        """Note where work is left: the file, and names such as of the station."""
        self.put("left/file", None if path is None else str(path))
        for key, name in names.items():
            self.put(f"left/{key}", name)

    def left(self) -> tuple[Project, Path] | None:
        """The project that was open when the window was closed last, and its file; None where it cannot be opened."""
        kept = self.get("left/file")
        if kept is not None:
            with suppress(FileError):
                return load(Path(str(kept))), Path(str(kept))
        return None


def _digest(path: Path) -> str:
    """What tells the content of a file; "" where it cannot be read."""
    with suppress(OSError):
        return hashlib.sha256(path.read_bytes()).hexdigest()
    return ""
