"""The commands. Results go to stdout, everything else to stderr; exit codes 0 done, 1 marks not met, 2 wrong use."""

import difflib
import errno
import io
import json
import os
import sys
from pathlib import Path
from typing import Annotated

import typer
from typer.exceptions import TyperException

from kelvarn import __version__
from kelvarn.engine.prepare import RunError
from kelvarn.files.faults import FileError, printable, reason
from kelvarn.files.project_file import SUFFIX, load, roundings, schema
from kelvarn.fit.observed import FitError
from kelvarn.handover.faults import HandoverError
from kelvarn.link.faults import LinkError
from kelvarn.model.names import UnknownName
from kelvarn.units import counted

from . import advice, copies, device, links, logs, practice, runs, safety
from .about import about_lines
from .common import (
    CommandError,
    File,
    Plain,
    open_window,
    replaces,
    tell_of_compiling,
)
from .results_schema import results_schema

app = typer.Typer(
    help="Tune closed-loop temperature control before power is applied. "
    "“kelvarn FILE” opens a project in the window; “kelvarn demo” opens a made-up one.",
    no_args_is_help=False,
    pretty_exceptions_enable=False,
)

_FORCE = "--force"


app.registered_commands += (
    runs.app.registered_commands
    + advice.app.registered_commands
    + safety.app.registered_commands
    + device.app.registered_commands
    + practice.app.registered_commands
    + links.app.registered_commands
    + logs.app.registered_commands
    + copies.app.registered_commands
)


@app.callback(invoke_without_command=True)
def _no_command(
    context: typer.Context,
    version: Annotated[bool, typer.Option("--version", help="Print the version.")] = False,
    verbose: Annotated[bool, typer.Option("--verbose", help="With --version: also what it runs on.")] = False,
    force: Annotated[bool, typer.Option(_FORCE, help="Replace files that are there; also after a command.")] = False,
) -> None:
    replaces.set(force)
    if version:
        print("\n".join(about_lines()) if verbose else f"kelvarn {__version__}")
        raise typer.Exit
    if context.invoked_subcommand is None:
        open_window(None)


@app.command("open", hidden=True)
def open_file(file: File) -> None:
    """Open a project or a log in the window (the same as “kelvarn FILE”)."""
    open_window(file)


def _check_file(name: str) -> None:
    """Raise CommandError where a first argument that is no command is no file either."""
    file = Path(name)
    try:
        there = file.stat() is not None
    except (FileNotFoundError, NotADirectoryError):
        there = False
    except OSError as error:
        raise CommandError(reason(error, file)) from error
    if file.suffix != SUFFIX and not there:
        near = difflib.get_close_matches(name, _commands(), 1)
        meant = f"; did you mean “kelvarn {near[0]}”?" if near else "; “kelvarn --help” lists the commands."
        raise CommandError(f"“{printable(file)}” is neither a command nor a file{meant}")


@app.command()
def check(file: File) -> None:
    """Say whether a project file is sound."""
    project = load(file)
    bodies = counted(len(project.rig.all_bodies), "body", "bodies")
    candidates, trials = counted(len(project.candidates), "candidate"), counted(len(project.trials), "trial")
    print(f"{printable(file)} is sound: “{project.name}”, {bodies}, {candidates}, {trials}.")
    if said := roundings(file, project):
        print(said)


@app.command("schema")
def print_schema(
    results: Annotated[bool, typer.Option("--results", help="Of what commands print with --json instead.")] = False,
) -> None:
    """Print the JSON Schema of the project document."""
    print(json.dumps(results_schema() if results else schema(), indent=2, ensure_ascii=False))


def _commands() -> list[str]:
    return [each.name or each.callback.__name__ for each in app.registered_commands if each.callback]


def main() -> None:
    """Entry point: every fault of the user becomes one line on stderr and exit code 2."""
    sys.stdout, sys.stderr = (stream or open(os.devnull, "w") for stream in (sys.stdout, sys.stderr))  # noqa: SIM115
    for stream in (sys.stdout, sys.stderr):
        if isinstance(stream, io.TextIOWrapper):
            stream.reconfigure(errors="replace")  # a terminal without “ or ★ shows ? rather than nothing
    sys.stdout, sys.stderr = Plain(sys.stdout), Plain(sys.stderr)
    arguments = [each for each in sys.argv[1:] if each != _FORCE]
    tell_of_compiling()
    try:
        if arguments and not arguments[0].startswith("-") and arguments[0] not in _commands():
            _check_file(arguments[0])  # a first argument that is no command is a file for the window
            arguments = ["open", *arguments]
        if _FORCE in sys.argv:
            arguments = [_FORCE, *arguments]
        found = app(arguments, prog_name="kelvarn", standalone_mode=False)
        code: object = found if isinstance(found, int) else 0
        sys.stdout.flush()
    except (typer.Abort, KeyboardInterrupt):
        code = 130
    except TyperException as error:
        code = _fail(f"{_refused(error)}. “kelvarn --help” lists the commands.")
    except (CommandError, FileError, FitError, HandoverError, LinkError, RunError) as error:
        code = _fail(str(error))
    except UnknownName as error:
        code = _fail(printable(str(error)))
    except MemoryError:
        code = _fail("There is not enough memory for this; ask for fewer candidates or shorter trials at once.")
    except OSError as error:
        code = _output_failed(error)
    except SystemExit as end:
        # The library ends with 1, which means something else here, when nobody reads any more.
        code = _output_failed(end.__context__) if isinstance(end.__context__, BrokenPipeError) else end.code
    sys.exit(code)  # type: ignore[arg-type]


def _refused(error: TyperException) -> str:
    """Why the library refuses the arguments, with the name of the option."""
    named = max(getattr(getattr(error, "param", None), "opts", ()), key=len, default="")
    text = str(error).partition(", unable to parse")[0]
    if not named or named in text:
        return text
    return text.replace("Input", named, 1) if text.startswith("Input") else f"{named}: {text}"


def _output_failed(error: OSError) -> int:
    """What was printed did not arrive; a reader that went away has what it wanted. Returns the exit code."""
    # Python would try once more at its end, and complain.
    os.dup2(os.open(os.devnull, os.O_WRONLY), 1)
    return 0 if error.errno == errno.EPIPE else _fail(f"The output cannot be written: {error.strerror}.")


def _fail(sentence: str) -> int:
    for line in sentence.split("\n"):
        print(f"kelvarn: {printable(line)}", file=sys.stderr)
    return 2
