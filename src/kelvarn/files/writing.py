"""Files written whole or not at all, and names that are safe to give them."""

import errno
import os
import re
import stat
import tempfile
from collections.abc import Callable, Iterable
from pathlib import Path

from kelvarn.sentence import say

from .faults import FileError, printable

_MOST_NAME_BYTES = 90
"""Of a file's name made of a project's names: two of them and a suffix stay below the 255 that file systems allow."""
_UNSAFE = re.compile(r'[\x00-\x1f\x7f-\x9f/\\:*?"<>|\u2028\u2029\ud800-\udfff]+')


def write_whole(path: Path, fill: Callable[[Path], None]) -> None:
    """Write a file through a temporary one beside it, synced and renamed.

    A link stays a link: what it points to is replaced. The file's mode stays as it was.

    Raises:
        FileError: it cannot be written, is marked read-only, or has several names of which a new file would take only
            one; what was there is untouched.
    """
    temporary: Path | None = None
    try:
        path = _target(path)
        mode = _mode(path)
        remove_leftovers(path)
        handle, name = tempfile.mkstemp(prefix=f"{_leftover_stem(path)}{os.getpid()}.", suffix=".part", dir=path.parent)
        os.close(handle)
        temporary = Path(name)
        fill(temporary)
        temporary.chmod(mode)
        with temporary.open("rb") as written:
            os.fsync(written.fileno())
        temporary.replace(path)
        temporary = None
        folder = os.open(path.parent, os.O_RDONLY)
        try:
            os.fsync(folder)
        finally:
            os.close(folder)
    except (OSError, ValueError) as error:  # the latter for names that hold a zero byte
        reason = getattr(error, "strerror", None) or str(error)
        raise FileError(
            say(
                "{file} cannot be written: {reason}. Choose another place.",
                file=printable(path),
                reason=reason,
            )
        ) from error
    finally:
        if temporary is not None:
            temporary.unlink(missing_ok=True)


def _target(path: Path) -> Path:
    try:
        return path.resolve()
    except RuntimeError:  # what Python 3.11 says of links in a circle
        raise OSError(errno.ELOOP, os.strerror(errno.ELOOP)) from None


def _mode(path: Path) -> int:
    """Mode for the new file: that of the old one, else what is usual."""
    try:
        found = path.stat()
    except FileNotFoundError:
        mask = os.umask(0)
        os.umask(mask)
        return 0o666 & ~mask
    if not stat.S_ISREG(found.st_mode):
        raise FileError(say("{file} is not an ordinary file. Choose another place.", file=printable(path)))
    if not found.st_mode & 0o222:
        raise FileError(
            say("{file} is marked read-only; save under another name, or let it be written.",
                file=printable(path))
        )  # fmt: skip
    if found.st_nlink > 1:
        raise FileError(
            say("{file} has {links} names (hard links), which saving would part; save under another name.",
                file=printable(path), links=found.st_nlink)
        )  # fmt: skip
    return found.st_mode & 0o777


def _leftover_stem(path: Path) -> str:
    return f".{path.name[:40]}."


def remove_leftovers(path: Path) -> None:
    """Remove temporary files that processes left beside a file when they were killed while they wrote it."""
    stem = _leftover_stem(path)
    try:
        found = [name for name in os.listdir(path.parent) if name.startswith(stem) and name.endswith(".part")]
    except OSError:
        return
    for name in found:
        pid = name.removeprefix(stem).partition(".")[0]
        if pid.isdigit() and int(pid) != os.getpid() and not Path(f"/proc/{pid}").exists():
            (path.parent / name).unlink(missing_ok=True)


def write_bytes(path: Path, content: bytes) -> None:
    """Write a file whole or not at all. Raises FileError as `write_whole` does."""

    def fill(temporary: Path) -> None:
        temporary.write_bytes(content)

    write_whole(path, fill)


def write_text(path: Path, text: str) -> None:
    """Write a text file whole or not at all. Raises FileError as `write_whole` does."""

    def fill(temporary: Path) -> None:
        temporary.write_text(text, encoding="utf-8")

    write_whole(path, fill)


def file_stem(name: str) -> str:
    """A name as a file name: letters and digits, with dashes for the rest, cut where it is too long."""
    kept = "".join(c if c.isalnum() else "-" for c in name.lower())
    return _cut("-".join(part for part in kept.split("-") if part) or "unnamed")


def file_stems(names: Iterable[str]) -> dict[str, str]:
    """A file name for each of several names, no two alike, whatever the case that a file system goes by."""
    found: dict[str, str] = {}
    taken: set[str] = set()
    for name in names:
        stem, count = file_stem(name), 1
        while stem.casefold() in taken:
            count += 1
            stem = f"{file_stem(name)}-{count}"
        taken.add(stem.casefold())
        found[name] = stem
    return found


def safe_name(name: str) -> str:
    """A project's name as a file name as people write it: it names no folder and hides nothing."""
    return _cut(_UNSAFE.sub("-", name).strip(". ")) or "unnamed"


def _cut(text: str) -> str:
    """A text of at most so many bytes, whole characters only."""
    return text.encode("utf-8", "replace")[:_MOST_NAME_BYTES].decode("utf-8", "ignore").rstrip()
