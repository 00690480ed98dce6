"""A project as a folder that a version control shows well: the document, sorted and indented, and its logs."""

from pathlib import Path

from kelvarn.model.project import Project
from kelvarn.sentence import figures, say

from .faults import FileError, printable, reason
from .project_file import MEMBER, MOST_LOG_BYTES, MOST_UNPACKED, from_json, log_members, to_json, with_logs
from .writing import write_bytes, write_text

_MOST_LOGS = 1000


def unpack(project: Project, folder: Path) -> None:
    """Write a project into a folder, which is made; logs that it has no more are taken away.

    Raises:
        FileError: the folder holds something else, or cannot be written.
    """
    try:
        folder.mkdir(parents=True, exist_ok=True)
        there = {path.name for path in folder.iterdir() if not path.name.startswith(".")}
        others = there - {MEMBER, "logs"}
        if others:
            raise FileError(
                say("{folder} holds {name}, which no project has: name a new folder.",
                    folder=printable(folder), name=printable(min(others)))
            )  # fmt: skip
        (folder / "logs").mkdir(exist_ok=True)
        names = log_members(project)
        for old in (folder / "logs").glob("*.csv"):
            if f"logs/{old.name}" not in names:
                old.unlink()
    except OSError as error:
        raise FileError(reason(error, folder)) from error
    for name, log in zip(names, project.logs, strict=True):
        write_bytes(folder / name, log.raw)
    write_text(folder / MEMBER, to_json(project))


def pack(folder: Path) -> Project:
    """Read a project from a folder.

    Raises:
        FileError: it holds none, or one that is not sound; says what and where.
    """
    document = folder / MEMBER
    try:
        if not folder.is_dir():
            raise FileError(say("{folder} is no folder.", folder=printable(folder)))
        if not document.is_file():
            raise FileError(
                say("{folder} holds no {member}: it is no unpacked project.", folder=printable(folder),
                    member=MEMBER)
            )  # fmt: skip
        if document.stat().st_size > MOST_UNPACKED:
            raise FileError(say("{file} is larger than any project.", file=printable(document)))
        files = sorted((folder / "logs").glob("*.csv"))[:_MOST_LOGS]
        if sum(path.stat().st_size for path in files) > MOST_LOG_BYTES:
            raise FileError(
                say("{folder} holds more than {most} MB.", folder=printable(folder / "logs"),
                    most=figures(f"{MOST_LOG_BYTES / 1e6:.0f}", ""))
            )  # fmt: skip
        logs = {f"logs/{path.name}": path.read_bytes() for path in files if path.is_file()}
        text = document.read_bytes()
    except OSError as error:
        raise FileError(reason(error, folder)) from error
    return with_logs(from_json(text, printable(document)), logs, printable(folder))
