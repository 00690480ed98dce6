"""The autosave journal: unsaved work, kept in the user's state folder until it is saved or given up.

Each window writes one entry of its own, named by process and a count. An entry whose process has gone is what a
crash left; `left_behind` finds it.
"""

import json
import os
from dataclasses import dataclass
from pathlib import Path

from platformdirs import user_state_path

from kelvarn.model.project import Project

from .faults import FileError
from .project_file import from_json, to_json, write_text


@dataclass(frozen=True)
class Entry:
    """Unsaved work found: where the entry lies, the project, and the file it belongs to (None: never saved)."""

    entry: Path
    project: Project
    path: Path | None


def journal_folder() -> Path:
    """Where entries lie."""
    return user_state_path("kelvarn") / "journal"


class Journal:
    """One window's entry."""

    def __init__(self, folder: Path | None = None) -> None:
        self._folder = folder or journal_folder()
        count = 0
        while (self._folder / f"{os.getpid()}-{count}.json").exists():
            count += 1
        self.entry = self._folder / f"{os.getpid()}-{count}.json"

    def keep(self, project: Project, path: Path | None) -> None:
        """Write the unsaved state of a project. Raises FileError where the folder cannot be written."""
        content = json.dumps({"path": None if path is None else str(path), "project": to_json(project)})
        try:
            self._folder.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise FileError(f"{self._folder} cannot be made: {error.strerror}.") from error
        write_text(self.entry, content)

    def clear(self) -> None:
        """The work is saved or given up."""
        self.entry.unlink(missing_ok=True)


def left_behind(folder: Path | None = None) -> list[Entry]:
    """Entries of processes that have gone, newest first; an unreadable one is passed over and stays."""
    folder = folder or journal_folder()
    found: list[tuple[float, Entry]] = []
    for entry in folder.glob("*-*.json") if folder.is_dir() else ():
        if _alive(entry.name.partition("-")[0]):
            continue
        try:
            content = json.loads(entry.read_text(encoding="utf-8"))
            project = from_json(content["project"], str(entry))
            path = None if content["path"] is None else Path(content["path"])
            found.append((entry.stat().st_mtime, Entry(entry, project, path)))
        except (OSError, ValueError, KeyError, TypeError):
            continue
    return [entry for _, entry in sorted(found, key=lambda pair: pair[0], reverse=True)]


def _alive(pid: str) -> bool:
    if not pid.isdigit():
        return True  # not an entry of ours
    try:
        os.kill(int(pid), 0)
    except ProcessLookupError:
        return False
    except (PermissionError, OverflowError):
        return True
    return True
