"""What all commands share: wrong use in one line, the file they take, candidates and trials by name, JSON, progress."""

import logging
import os
import signal
import sys
import threading
import time
import zipfile
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from contextvars import ContextVar
from pathlib import Path
from typing import Annotated, Any, TextIO

import typer

from kelvarn import __version__
from kelvarn.display import has_display
from kelvarn.engine.run import interruptible, warm
from kelvarn.files.faults import UNSEEN, printable
from kelvarn.files.project_file import SUFFIX, load
from kelvarn.files.tables import json_text
from kelvarn.handover.settings import fingerprint
from kelvarn.model.blank import blank_project
from kelvarn.model.candidate import Candidate
from kelvarn.model.names import check_known
from kelvarn.model.project import Project
from kelvarn.model.trial import Trial

RESULTS_FORMAT = "kelvarn results 1"
_QUIET_S, _TELLS_S = 2.0, 0.2

replaces: ContextVar[bool] = ContextVar("replaces", default=False)
"""Whether files that are there may be replaced: `--force`, said anywhere on the command line."""


class CommandError(Exception):
    """Wrong use or bad input: one line for stderr, exit code 2."""


File = Annotated[Path, typer.Argument(help="A project, *.kelvarn.")]
Json = Annotated[bool, typer.Option("--json", help="Print one JSON object.")]
CandidateName = Annotated[str | None, typer.Option("--candidate", help="The candidate.")]
Chosen = Annotated[bool, typer.Option("--chosen", help="Take the chosen candidate.")]
TrialName = Annotated[str | None, typer.Option("--trial", help="The trial; else the first.")]


def trial_named(project: Project, name: str | None) -> Trial:
    """A trial by its name; the first where none is given. Raises UnknownName."""
    if name is None:
        return project.first_trial
    check_known((name,), [trial.name for trial in project.trials], "trial")
    return project.trial(name)


def candidate_named(project: Project, name: str | None, chosen: bool) -> Candidate:
    """A candidate by its name, or the chosen one. Raises CommandError, UnknownName."""
    if name is not None and chosen:
        raise CommandError("Give --candidate or --chosen, not both.")
    if chosen and project.chosen is None:
        raise CommandError(f"No candidate of “{printable(project.name)}” is chosen; name one with --candidate.")
    name = project.chosen if chosen else name
    known = [each.name for each in project.candidates]
    if name is None:
        raise CommandError(f"Name a candidate with --candidate, or give --chosen; there are: {', '.join(known)}.")
    check_known((name,), known, "candidate")
    return project.candidate(name)


def print_json(command: str, made: dict[str, Any], project: Project | None = None) -> None:
    """Print what a command found as one JSON object, with what all of them say: what it is of, and what made it."""
    print(results_text(command, made, project))


def results_text(command: str, made: dict[str, Any], project: Project | None = None) -> str:
    """The text of that; `project` is None where the command has none."""
    head = {
        "format": RESULTS_FORMAT,
        "version": __version__,
        "command": command,
        "project": None if project is None else project.name,
        "fingerprint": None if project is None else fingerprint(project),
    }
    return json_text({**head, **made}, None if project is None else project.scale)


@contextmanager
def progress(what: str) -> Iterator[Callable[[float], bool]]:
    """Tell on a terminal, from the second second on, what share of something is done; runs meanwhile tell it too.

    Gives what is told the share, 0…1, and answers whether to go on: always.
    """
    begun = told = time.monotonic()
    said = False

    def tell(share: float) -> bool:
        nonlocal said, told
        now = time.monotonic()
        if now - begun > _QUIET_S and now - told > _TELLS_S and sys.stderr.isatty():
            print(f"\r{what}: {share:.0%} ", end="", file=sys.stderr, flush=True)
            said, told = True, now
        return True

    try:
        with interruptible(tell):
            yield tell
    finally:
        if said:
            print(f"\r{' ' * (len(what) + 8)}\r", end="", file=sys.stderr, flush=True)


class _OnTerminal(logging.Handler):
    def emit(self, record: logging.LogRecord) -> None:
        if sys.stderr.isatty():
            print(f"kelvarn: {record.getMessage()} …", file=sys.stderr)


_ON_TERMINAL = _OnTerminal()


def tell_of_compiling() -> None:
    """Let who waits at a terminal know that the engine is being compiled."""
    log = logging.getLogger("kelvarn.engine.compiled")
    log.setLevel(logging.INFO)
    log.addHandler(_ON_TERMINAL)  # the same one however often it is asked for
    log.propagate = False


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


def open_window(file: Path | None, project: Project | None = None) -> None:
    """Open the window on a project, on a file of one or of a log, or on what was open last; ends the program."""
    if not has_display():
        raise CommandError(
            "There is no display to open a window on, or it does not answer; “kelvarn demo --out DIR” needs none."
        )
    logs: list[Path] = []
    if file is not None and file.suffix != SUFFIX and file.is_file() and not zipfile.is_zipfile(file):
        project, logs, file = blank_project(), [file], None  # anything else is taken for a log
    if file is not None:
        project = load(file)
    # The kernel loads while Qt does; the window waits for what is left of it.
    threading.Thread(target=warm, daemon=True).start()
    from kelvarn.desktop.frame.app import start

    sys.exit(start(project, file, logs))


def check_free(path: Path, suffixes: Sequence[str]) -> None:
    """Raise CommandError where a file to be written has another suffix, or is there already and may not be replaced."""
    if path.suffix.lower() not in suffixes:
        raise CommandError(f"Let {printable(path)} end in {' or '.join(suffixes)}.")
    if os.path.exists(path) and not replaces.get():
        raise CommandError(f"{printable(path)} is there already; --force replaces it.")


@contextmanager
def until_ended() -> Iterator[Callable[[], bool]]:
    """Until somebody ends it, by Ctrl+C or a signal: what was begun is ended in order."""
    ends = threading.Event()
    before = {}
    if threading.current_thread() is threading.main_thread():
        before = {number: signal.signal(number, lambda *_: ends.set()) for number in (signal.SIGINT, signal.SIGTERM)}
    try:
        yield lambda: not ends.is_set()
    finally:
        for number, old in before.items():
            signal.signal(number, old)
