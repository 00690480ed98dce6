"""The project file, `*.kelvarn`: a zip of `project.json`, written whole or not at all, opened with limits."""

import json
import os
import tempfile
import zipfile
import zlib
from collections.abc import Callable
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from kelvarn.model.project import FORMAT, Project

from .faults import FileError, sentences

SUFFIX = ".kelvarn"
MEMBER = "project.json"

MOST_BYTES = 64 * 1024 * 1024  # of a file as it lies on disk
MOST_UNPACKED = 16 * 1024 * 1024  # of project.json
MOST_RATIO = 200  # unpacked over packed; a project packs some twenty to one
MOST_MEMBERS = 1000
MOST_DEPTH = 40

MIGRATIONS: dict[int, Callable[[dict[str, Any]], dict[str, Any]]] = {}
"""Format number -> what makes the next format of a raw document of it."""


def to_json(project: Project) -> str:
    """The document as text: sorted and indented, so that versions compare well."""
    return json.dumps(project.model_dump(mode="json"), indent=2, sort_keys=True, ensure_ascii=False) + "\n"


def schema() -> dict[str, Any]:
    """JSON Schema of the document."""
    made = Project.model_json_schema()
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **made, "title": "Kelvarn project"}


def save(project: Project, path: Path) -> None:
    """Write a project file. The old file stays whole until the new one is safe on disk.

    Raises:
        FileError: it cannot be written; the old file is untouched.
    """

    def fill(temporary: Path) -> None:
        with zipfile.ZipFile(temporary, "w", zipfile.ZIP_DEFLATED) as archive:
            # A fixed date: the same project gives the same bytes.
            member = zipfile.ZipInfo(MEMBER, date_time=(1980, 1, 1, 0, 0, 0))
            member.compress_type = zipfile.ZIP_DEFLATED
            member.external_attr = 0o644 << 16
            archive.writestr(member, to_json(project))

    write_whole(path, fill)


def write_whole(path: Path, fill: Callable[[Path], None]) -> None:
    """Write a file through a temporary one beside it, synced and renamed.

    Raises:
        FileError: it cannot be written; what was there is untouched.
    """
    temporary: Path | None = None
    path = path.resolve()  # a link stays a link: what it points to is replaced
    try:
        handle, name = tempfile.mkstemp(prefix=f".{path.name[:40]}.", suffix=".part", dir=path.parent)
        os.close(handle)
        temporary = Path(name)
        fill(temporary)
        if path.exists():
            temporary.chmod(path.stat().st_mode & 0o777)
        else:
            mask = os.umask(0)
            os.umask(mask)
            temporary.chmod(0o666 & ~mask)
        with temporary.open("rb") as written:
            os.fsync(written.fileno())
        temporary.replace(path)
        temporary = None
        folder = os.open(path.parent, os.O_RDONLY)
        try:
            os.fsync(folder)
        finally:
            os.close(folder)
    except OSError as error:
        raise FileError(f"{path} cannot be written: {error.strerror or error}. Choose another place.") from error
    finally:
        if temporary is not None:
            temporary.unlink(missing_ok=True)


def write_text(path: Path, text: str) -> None:
    """Write a text file whole or not at all. Raises FileError as `write_whole` does."""

    def fill(temporary: Path) -> None:
        temporary.write_text(text, encoding="utf-8")

    write_whole(path, fill)


def file_stem(name: str) -> str:
    """A name as a file name: letters and digits, with dashes for the rest."""
    kept = "".join(c if c.isalnum() else "-" for c in name.lower())
    return "-".join(part for part in kept.split("-") if part) or "unnamed"


def load(path: Path) -> Project:
    """Read a project file.

    Raises:
        FileError: it is no sound project file; the message names what is wrong and where.
    """
    try:
        if path.is_dir():
            raise FileError(f"{path} is a folder, not a {SUFFIX} file.")
        if path.exists() and not path.is_file():  # a device or pipe could be read for ever
            raise FileError(f"{path} is not an ordinary file.")
        size = path.stat().st_size
        if size > MOST_BYTES:
            raise FileError(f"{path} has {size:,} bytes; a project file has at most {MOST_BYTES:,}.")
        text = _read_member(path)
    except OSError as error:
        raise FileError(f"{path} cannot be read: {error.strerror or error}.") from error
    return from_json(text, str(path))


def _read_member(path: Path) -> bytes:
    try:
        with zipfile.ZipFile(path) as archive:
            members = archive.infolist()
            if len(members) > MOST_MEMBERS:
                raise FileError(f"{path} holds {len(members)} entries; a project holds at most {MOST_MEMBERS}.")
            seen: set[str] = set()
            for member in members:
                _check_member(path, member, seen)
            if MEMBER not in seen:
                raise FileError(f"{path} holds no {MEMBER}; it is not a Kelvarn project.")
            with archive.open(MEMBER) as stream:
                text = stream.read(MOST_UNPACKED + 1)
    except (zipfile.BadZipFile, zlib.error, EOFError, NotImplementedError, RuntimeError, ValueError) as error:
        if isinstance(error, FileError):
            raise
        raise FileError(
            f"{path} is not a whole {SUFFIX} file ({error}); it may be cut short. Open a copy of it instead."
        ) from error
    if len(text) > MOST_UNPACKED:
        raise FileError(f"{path}: {MEMBER} is larger than the {MOST_UNPACKED:,} bytes a project may have.")
    return text


def _check_member(path: Path, member: zipfile.ZipInfo, seen: set[str]) -> None:
    name = member.filename
    logs = name.startswith("logs/") and name.count("/") == 1 and ".." not in name
    if "\\" in name or not (name == MEMBER or logs):
        raise FileError(f"{path} holds the entry “{name[:80]}”, which no project has; it was not opened.")
    if name in seen:
        raise FileError(f"{path} holds “{name}” twice; it was not opened.")
    seen.add(name)
    if member.file_size > MOST_UNPACKED or member.file_size > MOST_RATIO * max(member.compress_size, 1024):
        raise FileError(f"{path}: “{name}” would unpack to {member.file_size:,} bytes; it was not opened.")


def from_json(text: bytes | str, where: str) -> Project:
    """Read the document.

    Args:
        text: UTF-8 bytes or text.
        where: what to call its source in errors.

    Raises:
        FileError: with every fault, one a line.
    """
    try:
        raw = json.loads(text if isinstance(text, str) else text.decode("utf-8"), object_pairs_hook=_no_twins)
    except (UnicodeDecodeError, json.JSONDecodeError, RecursionError) as error:
        raise FileError(f"{where}: {MEMBER} is not sound JSON ({error}).") from error
    except _Twin as error:
        raise FileError(f"{where}: {MEMBER} has the key “{error}” twice in one place.") from error
    if not isinstance(raw, dict):
        raise FileError(f"{where}: {MEMBER} must hold one object.")
    raw = _migrate(raw, where)
    try:
        return Project.model_validate(raw)
    except ValidationError as error:
        faults = sentences(error, raw)
        raise FileError("\n".join(f"{where}: {fault}." for fault in faults)) from error


class _Twin(Exception):
    pass


def _no_twins(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    made = dict(pairs)
    if len(made) < len(pairs):
        keys = [key for key, _ in pairs]
        raise _Twin(next(key for key in keys if keys.count(key) > 1))
    return made


def _migrate(raw: dict[str, Any], where: str) -> dict[str, Any]:
    found = raw.get("format")
    if not isinstance(found, int) or isinstance(found, bool) or found < 1:
        raise FileError(f"{where}: “format” must be a whole number from 1 to {FORMAT}, not {found!r:.40}.")
    if found > FORMAT:
        raise FileError(
            f"{where} was written by a newer Kelvarn (format {found}; this one reads up to {FORMAT}). "
            "Update Kelvarn to open it."
        )
    while found < FORMAT:
        raw = MIGRATIONS[found](raw)
        found += 1
    return raw
