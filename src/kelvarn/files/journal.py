"""The autosave journal: unsaved work, kept in the user's state folder until it is saved or given up.

Each window writes an entry of its own and holds a lock beside it as long as it lives: the system lets go of a lock when
its process ends, however it ends. An entry whose lock is free is what a crash left; `left_behind` finds it and holds
it until it is taken over, thrown away or left for another time.
"""

import fcntl
import hashlib
import json
import os
import uuid
from collections.abc import Sequence
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import NamedTuple

from platformdirs import user_state_path

from kelvarn.model.project import Project
from kelvarn.sentence import say

from .faults import FileError, printable
from .project_file import from_json, load, to_json
from .writing import remove_leftovers, write_bytes, write_text


class Stamp(NamedTuple):
    """What tells one state of a file from another: when it was written, which file it is, and its size."""

    written_ns: int
    number: int
    size: int


def stamp(path: Path | None) -> Stamp | None:
    """The stamp of a file; None without one."""
    try:
        found = path.stat() if path is not None else None
    except (OSError, ValueError):
        return None
    return None if found is None else Stamp(found.st_mtime_ns, found.st_ino, found.st_size)


def journal_folder() -> Path:
    """Where entries lie."""
    return user_state_path("kelvarn") / "journal"


class Journal:
    """One entry, and the lock that says that somebody has it.

    Args:
        folder: where entries lie; None takes the user's.
        name: of an entry that lies there; None for a new one.

    Attributes:
        entry: the file.
    """

    def __init__(self, folder: Path | None = None, name: str | None = None) -> None:
        self._folder = folder or journal_folder()
        self.entry = self._folder / f"{name or uuid.uuid4().hex}.json"
        self._logs: set[str] = set()  # digests of the logs that lie beside it
        self._lock: int | None = None  # its file descriptor; the system closes it with the process

    @property
    def _lock_path(self) -> Path:
        return self.entry.with_suffix(".lock")

    def hold(self) -> bool:
        """Take the lock; whether it was free. Raises OSError where the folder cannot be written."""
        if self._lock is None:
            lock = os.open(self._lock_path, os.O_RDWR | os.O_CREAT, 0o600)
            try:
                fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
            except BlockingIOError:
                os.close(lock)
                return False
            self._lock = lock
        return True

    def let_go(self) -> None:
        """Leave the entry for another time."""
        if self._lock is not None:
            if not self.entry.exists():
                self._lock_path.unlink(missing_ok=True)
            os.close(self._lock)
            self._lock = None

    def keep(self, project: Project, path: Path | None, saved: Stamp | None) -> None:
        """Write the unsaved state of a project.

        Args:
            project, path: the work, and the file it belongs to, absolute; None: never saved.
            saved: stamp of that file as the work knows it.

        Raises:
            FileError: the folder cannot be written.
        """
        digests = [_digest(log.raw) for log in project.logs]
        content = {
            "path": None if path is None else str(path), "stamp": saved, "project": to_json(project),
            "logs": digests,
        }  # fmt: skip
        try:
            self._folder.mkdir(parents=True, exist_ok=True)
            self.hold()
        except OSError as error:
            raise FileError(
                say(
                    "{file} cannot be written: {why}.",
                    file=printable(self._folder),
                    why=error.strerror,
                )
            ) from error
        for digest, log in zip(digests, project.logs, strict=True):
            self._keep_log(digest, log.raw)
        write_text(self.entry, json.dumps(content))

    def _keep_log(self, digest: str, raw: bytes) -> None:
        """Write a log beside the entry, once: it never changes."""
        if digest not in self._logs:
            write_bytes(self._log_path(digest), raw)
            self._logs.add(digest)

    def _log_path(self, digest: str) -> Path:
        return self.entry.with_name(f"{self.entry.stem}.{digest}.log")

    def log_of(self, digest: str) -> bytes | None:
        """A log that lies beside the entry, whole; None where it has gone."""
        try:
            found = self._log_path(digest).read_bytes()
        except OSError:
            return None
        if _digest(found) != digest:
            return None
        self._logs.add(digest)
        return found

    def clear(self) -> None:
        """The work is saved or given up."""
        self.entry.unlink(missing_ok=True)
        with suppress(OSError):
            beside = [*self._folder.glob(f"{self.entry.stem}.*.log"), *self._folder.glob(f".{self.entry.stem}*.part")]
            for path in beside:
                path.unlink(missing_ok=True)
        self._logs.clear()
        self.let_go()


@dataclass(frozen=True)
class Unsaved:
    """Unsaved work found.

    Attributes:
        journal: the entry, held.
        project: the work.
        path: the file it belongs to; None: never saved.
        saved: stamp of that file as the work knew it.
        lost: names of logs that have gone, and that the work comes without.
    """

    journal: Journal
    project: Project
    path: Path | None
    saved: Stamp | None
    lost: tuple[str, ...] = ()


def _digest(raw: bytes) -> str:
    return hashlib.sha256(raw).hexdigest()[:24]


def left_behind(folder: Path | None = None) -> Unsaved | None:
    """The newest entry that nobody holds; one that cannot be read is passed over and stays."""
    folder = folder or journal_folder()
    try:
        entries = sorted(folder.glob("*.json"), key=_written, reverse=True)
    except OSError:
        return None
    _clear_orphans(folder)
    for entry in entries:
        remove_leftovers(entry)
        journal = Journal(folder, entry.stem)
        try:
            if not journal.hold():
                continue
            content = json.loads(entry.read_text(encoding="utf-8"))
            project = from_json(content["project"], str(entry))
            path = None if content["path"] is None else Path(content["path"])
            if path is not None and not path.is_absolute():
                path = None  # of an older version: nobody knows where it was meant
            digests = [str(digest) for digest in content.get("logs", [])]
            digests += [""] * (len(project.logs) - len(digests))
            project, lost = _with_its_logs(project, [journal.log_of(each) for each in digests], path)
            saved = content.get("stamp")
            return Unsaved(journal, project, path, None if saved is None else Stamp(*saved), lost)
        except (OSError, ValueError, KeyError, TypeError, AttributeError):  # whatever it holds, others stand beside it
            journal.let_go()
    return None


def _with_its_logs(
    project: Project, found: Sequence[bytes | None], path: Path | None
) -> tuple[Project, tuple[str, ...]]:
    """A project with its logs; one that is missing is that of the file it belongs to, else left out and named."""
    known = dict(zip((log.name for log in project.logs), found, strict=False))
    if None in known.values() and path is not None:
        with suppress(FileError):
            known |= {log.name: log.raw for log in load(path).logs if known.get(log.name, b"") is None}
    lost = tuple(name for name, raw in known.items() if raw is None)
    kept = tuple(log.model_copy(update={"raw": known[log.name]}) for log in project.logs if log.name not in lost)
    return project.model_copy(update={"logs": kept}), lost


def _written(entry: Path) -> float:
    """When an entry was written; 0 where that cannot be told."""
    try:
        return entry.stat().st_mtime
    except OSError:
        return 0.0


def _clear_orphans(folder: Path) -> None:
    """Remove what windows leave that end before their first entry is there: its lock, logs, and parts of both."""
    with suppress(OSError):
        found = [path for path in folder.iterdir() if path.suffix in (".lock", ".log", ".part")]
        for stem in {path.name.lstrip(".").partition(".")[0] for path in found}:
            alone = Journal(folder, stem)
            if not alone.entry.exists() and alone.hold():
                alone.clear()
