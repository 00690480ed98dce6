"""What all commands share: wrong use in one line, the file they take, candidates and trials by name."""

import os
from collections.abc import Sequence
from contextvars import ContextVar
from pathlib import Path
from typing import Annotated, Any, TextIO

import typer

from kelvarn.files.faults import UNSEEN, printable
from kelvarn.model.project import Project
from kelvarn.model.trial import Trial

replaces: ContextVar[bool] = ContextVar("replaces", default=False)
"""Whether files that are there may be replaced: `--force`, said anywhere on the command line."""


class CommandError(Exception):
    """Wrong use or bad input: one line for stderr, exit code 2."""


File = Annotated[Path, typer.Argument(help="A project, *.kelvarn.")]


def check_known(wanted: Sequence[str], known: Sequence[str], what: str) -> None:
    """Raise CommandError where something wanted is not among what is known."""
    for name in wanted:
        if name not in known:
            raise CommandError(f"There is no {what} “{printable(name)}”; there are: {', '.join(known)}.")


def trial_named(project: Project, name: str | None) -> Trial:
    """A trial by its name; the first where none is given. Raises CommandError."""
    if name is None:
        return project.first_trial
    check_known((name,), [trial.name for trial in project.trials], "trial")
    return project.trial(name)


class Plain:
    """A stream that shows what moves a cursor, turns text round or is not seen by its code, as JSON does."""

    def __init__(self, stream: TextIO) -> None:
        self._stream = stream

    def write(self, text: str) -> int:
        """Write a text; its length."""
        self._stream.write(UNSEEN.sub(lambda found: f"\\u{ord(found[0]):04x}", text))
        return len(text)

    def __getattr__(self, name: str) -> Any:
        return getattr(self._stream, name)


def check_free(path: Path, suffixes: Sequence[str]) -> None:
    """Raise CommandError where a file to be written has another suffix, or is there already and may not be replaced."""
    if path.suffix.lower() not in suffixes:
        raise CommandError(f"Let {printable(path)} end in {' or '.join(suffixes)}.")
    if os.path.exists(path) and not replaces.get():
        raise CommandError(f"{printable(path)} is there already; --force replaces it.")
