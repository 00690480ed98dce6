"""The project file, `*.kelvarn`: a zip of `project.json` and `logs/NAME.csv`, written whole, opened with limits."""

import json
import stat
import zipfile
import zlib
from collections import Counter
from collections.abc import Callable
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from kelvarn.model.project import FORMAT, Project
from kelvarn.sentence import figures, say

from .faults import FileError, printable, reason, sentences
from .writing import file_stems, write_whole

SUFFIX = ".kelvarn"
MEMBER = "project.json"

MOST_UNPACKED = 16 * 1024 * 1024  # of project.json
MOST_LOG_BYTES = 128 * 1024 * 1024  # of all logs
MOST_BYTES = MOST_UNPACKED + MOST_LOG_BYTES + 1024 * 1024  # of a file as it lies on disk, if nothing can be packed
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
        FileError: it cannot be written, or would be larger than what is opened; the old file is untouched.
    """
    document = to_json(project).encode()
    if len(document) > MOST_UNPACKED:
        raise FileError(
            say("This project has {size} MB without its logs, and at most {most} MB can be "
                "opened again; remove kept runs before it is saved.",
                size=figures(f"{len(document) / 1e6:.0f}", ""),
                most=figures(f"{MOST_UNPACKED / 1e6:.0f}", ""))
        )  # fmt: skip
    if sum(len(log.raw) for log in project.logs) > MOST_LOG_BYTES:
        raise FileError(
            say("The logs of this project have more than {most} MB; remove one before it is saved.",
                most=figures(f"{MOST_LOG_BYTES / 1e6:.0f}", ""))
        )  # fmt: skip

    def fill(temporary: Path) -> None:
        with zipfile.ZipFile(temporary, "w", zipfile.ZIP_DEFLATED) as archive:
            # A fixed date: the same project gives the same bytes.
            member = zipfile.ZipInfo(MEMBER, date_time=(1980, 1, 1, 0, 0, 0))
            member.compress_type = zipfile.ZIP_DEFLATED
            member.external_attr = 0o644 << 16
            archive.writestr(member, document)
            for name, raw in zip(log_members(project), (log.raw for log in project.logs), strict=True):
                member = zipfile.ZipInfo(name, date_time=(1980, 1, 1, 0, 0, 0))
                member.compress_type = zipfile.ZIP_DEFLATED
                member.external_attr = 0o644 << 16
                archive.writestr(member, raw, compresslevel=1)  # a log of a million rows is saved in a second

    write_whole(path, fill)


def log_members(project: Project) -> list[str]:
    """Where the logs of a project stand in its file, in their order."""
    stems = file_stems(log.name for log in project.logs)
    return [f"logs/{stems[log.name]}.csv" for log in project.logs]


def with_logs(project: Project, raw: dict[str, bytes], where: str) -> Project:
    """A project with what its logs hold. Raises FileError where one is missing."""
    logs = []
    for name, log in zip(log_members(project), project.logs, strict=True):
        if name not in raw:
            raise FileError(
                say("{where}: the log “{log}” is missing from it ({name}).", where=where,
                    log=printable(log.name), name=name)
            )  # fmt: skip
        logs.append(log.model_copy(update={"raw": raw[name]}))
    return project.model_copy(update={"logs": tuple(logs)}) if logs else project


def load(path: Path) -> Project:
    """Read a project file.

    Raises:
        FileError: it is no sound project file; the message names what is wrong and where.
    """
    try:
        found = path.stat()
        if stat.S_ISDIR(found.st_mode):
            raise FileError(say("{file} is a folder, not a {suffix} file.", file=printable(path), suffix=SUFFIX))
        if not stat.S_ISREG(found.st_mode):  # a device or pipe could be read for ever
            raise FileError(say("{file} is not an ordinary file.", file=printable(path)))
        if found.st_size > MOST_BYTES:
            raise FileError(
                say("{file} has {size} bytes; a project file has at most {most}.",
                    file=printable(path), size=figures(f"{found.st_size:,}", ""), most=figures(f"{MOST_BYTES:,}", ""))
            )  # fmt: skip
        text, logs = _read_members(path)
    except OSError as error:
        raise FileError(reason(error, path)) from error
    return with_logs(from_json(text, printable(path)), logs, printable(path))


def roundings(path: Path, project: Project) -> str:
    """What was rounded as a file was opened, in a sentence; empty where nothing was.

    Devices count whole milliseconds; files that are older may have intervals between them.

    Args:
        path: of the file.
        project: as it was opened.
    """
    text, _ = _read_members(path)
    probes = json.loads(text).get("rig", {}).get("probes", [])
    said = [
        f"“{probe.name}” is read every {probe.interval_s:g} s, no longer every {raw['interval_s']!r} s"
        for raw, probe in zip(probes, project.rig.probes, strict=False)
        if isinstance(raw, dict) and "interval_s" in raw and raw["interval_s"] != probe.interval_s
    ]
    return f"Devices count whole milliseconds: {'; '.join(said)}. Its runs differ a little." if said else ""


def _read_members(path: Path) -> tuple[bytes, dict[str, bytes]]:
    """The document, and the logs by where they stand."""
    shown = printable(path)
    try:
        with zipfile.ZipFile(path) as archive:
            members = archive.infolist()
            if len(members) > MOST_MEMBERS:
                raise FileError(
                    say("{shown} holds {entries} entries; a project holds at most {most}.", shown=shown,
                        entries=len(members), most=MOST_MEMBERS)
                )  # fmt: skip
            seen: set[str] = set()
            for member in members:
                _check_member(shown, member, seen)
            if MEMBER not in seen:
                raise FileError(
                    say("{shown} holds no {member}; it is not a Kelvarn project.", shown=shown, member=MEMBER)
                )
            if sum(member.file_size for member in members) > MOST_LOG_BYTES + MOST_UNPACKED:
                raise FileError(
                    say("{shown} holds more than {most} MB of logs; it was not opened.", shown=shown,
                        most=figures(f"{MOST_LOG_BYTES / 1e6:.0f}", ""))
                )  # fmt: skip
            logs = {}
            for member in members:
                if member.filename != MEMBER:
                    with archive.open(member) as stream:
                        logs[member.filename] = stream.read(MOST_LOG_BYTES)
            with archive.open(MEMBER) as stream:
                return stream.read(MOST_UNPACKED), logs  # whatever the zip says of itself
    except (zipfile.BadZipFile, zlib.error, EOFError, NotImplementedError, RuntimeError, ValueError) as error:
        if isinstance(error, FileError):
            raise
        raise FileError(
            say(
                "{shown} is not a whole {suffix} file ({fault}); it may be cut short. Open a copy of it instead.",
                shown=shown,
                suffix=SUFFIX,
                fault=printable(error),
            )
        ) from error


def _check_member(shown: str, member: zipfile.ZipInfo, seen: set[str]) -> None:
    """Raise FileError where a member is none that a project has, or too large."""
    name = member.filename
    logs = name.startswith("logs/") and name.count("/") == 1 and ".." not in name
    if "\\" in name or not (name == MEMBER or logs):
        raise FileError(
            say("{shown} holds the entry “{name}”, which no project has; it was not opened.", shown=shown,
                name=printable(name[:80]))
        )  # fmt: skip
    if name in seen:
        raise FileError(say("{shown} holds “{name}” twice; it was not opened.", shown=shown, name=printable(name[:80])))
    seen.add(name)
    if member.compress_type not in (zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED):
        # Others may take gigabytes for a few bytes.
        raise FileError(
            say("{shown}: “{name}” is packed in a way that no project is; it was not opened.", shown=shown,
                name=printable(name[:80]))
        )  # fmt: skip
    most = MOST_UNPACKED if name == MEMBER else MOST_LOG_BYTES
    if member.file_size > most:
        raise FileError(
            say("{shown}: “{name}” would unpack to {size} bytes; it was not opened.", shown=shown,
                name=printable(name[:80]), size=figures(f"{member.file_size:,}", ""))
        )  # fmt: skip


def from_json(text: bytes | str, where: str) -> Project:
    """Read the document.

    Args:
        text: UTF-8 bytes or text.
        where: what to call its source in errors.

    Raises:
        FileError: with every fault, one a line.
    """
    if isinstance(text, bytes):
        try:
            text = text.decode("utf-8-sig")
        except UnicodeDecodeError as error:
            raise FileError(
                say(
                    "{where}: {member} is not UTF-8 text (byte {start}).", where=where, member=MEMBER, start=error.start
                )
            ) from error
    try:
        raw = json.loads(text.removeprefix("\ufeff"), object_pairs_hook=_no_twins)
    except _Twin as error:
        raise FileError(
            say(
                "{where}: {member} has the key “{name}” twice in one place.",
                where=where,
                member=MEMBER,
                name=printable(str(error)[:40]),
            )
        ) from error
    except (ValueError, RecursionError) as error:  # also numbers of thousands of digits, and nesting without end
        raise FileError(
            say(
                "{where}: {member} is not sound JSON ({fault}).",
                where=where,
                member=MEMBER,
                fault=printable(error),
            )
        ) from error
    if not isinstance(raw, dict):
        raise FileError(say("{where}: {member} must hold one object.", where=where, member=MEMBER))
    _check_depth(raw, where)
    raw = _migrate(raw, where)
    try:
        return Project.model_validate(raw)
    except ValidationError as error:
        raise FileError("\n".join(f"{where}: {fault.rstrip('.')}." for fault in sentences(error, raw))) from error


def _check_depth(raw: Any, where: str) -> None:
    """Raise FileError where parts stand in parts deeper than any project's."""
    level = [raw]
    for _ in range(MOST_DEPTH):
        level = [inner for part in level for inner in (part.values() if isinstance(part, dict) else part)
                 if isinstance(inner, dict | list)]  # fmt: skip
        if not level:
            return
    raise FileError(
        say("{where}: {member} has parts in parts, deeper than {most}; no project has.", where=where,
            member=MEMBER, most=MOST_DEPTH)
    )  # fmt: skip


class _Twin(Exception):
    pass


def _no_twins(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    made = dict(pairs)
    if len(made) < len(pairs):
        counts = Counter(key for key, _ in pairs)
        raise _Twin(next(key for key, count in counts.items() if count > 1))
    return made


def _migrate(raw: dict[str, Any], where: str) -> dict[str, Any]:
    found = raw.get("format")
    if not isinstance(found, int) or isinstance(found, bool) or found < 1:
        raise FileError(
            say("{where}: “format” must be a whole number from 1 to {format}, not {found}.", where=where,
                format=FORMAT, found=printable(repr(found)[:40]))
        )  # fmt: skip
    if found > FORMAT:
        raise FileError(
            say("{where} was written by a newer Kelvarn (format {found}; this one reads up to "
                "{format}). Update Kelvarn to open it.", where=where, found=str(found)[:40], format=FORMAT)
        )  # fmt: skip
    while found < FORMAT:
        raw = MIGRATIONS[found](raw)
        found += 1
    return raw
