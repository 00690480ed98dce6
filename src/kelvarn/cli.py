"""The commands. Results go to stdout, everything else to stderr; exit codes 0 done, 1 marks not met, 2 wrong use."""

import errno
import io
import json
import os
import sys
import threading
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Annotated

import typer
from typer.exceptions import TyperException

from kelvarn import __version__
from kelvarn.demos import DEMOS, find_demo
from kelvarn.display import has_display
from kelvarn.engine.marks import Verdict
from kelvarn.engine.measures import Measures, ended_text
from kelvarn.engine.prepare import RunError
from kelvarn.engine.run import warm
from kelvarn.files.faults import FileError, printable, reason
from kelvarn.files.project_file import SUFFIX, load, save, schema
from kelvarn.files.tables import json_text, result_json, write_trace
from kelvarn.files.writing import file_stem, file_stems, write_text
from kelvarn.fit.observed import FitError
from kelvarn.handover.settings import fingerprint, settings_json
from kelvarn.model.project import Project
from kelvarn.studies.results import Result, ResultKey, Results
from kelvarn.units import Quantity, Scale, counted, show

from . import cli_advice, cli_logs, cli_safety
from .cli_common import CommandError, File, Plain, check_known, replaces, trial_named

app = typer.Typer(
    help="Tune closed-loop temperature control before power is applied. "
    "“kelvarn FILE” opens a project in the window; “kelvarn demo” opens a made-up one.",
    no_args_is_help=False,
    add_completion=False,
    pretty_exceptions_enable=False,
)

_RESULTS, _FORCE = "results.json", "--force"
Out = Annotated[Path | None, typer.Option(help="Write results, traces and pictures into this folder.")]


app.registered_commands += (
    cli_advice.app.registered_commands + cli_safety.app.registered_commands + cli_logs.app.registered_commands
)


@app.callback(invoke_without_command=True)
def _no_command(
    context: typer.Context,
    version: Annotated[bool, typer.Option("--version", help="Print the version.")] = False,
    force: Annotated[bool, typer.Option(_FORCE, help="Replace files that are there; also after a command.")] = False,
) -> None:
    replaces.set(force)
    if version:
        print(f"kelvarn {__version__}")
        raise typer.Exit
    if context.invoked_subcommand is None:
        _open_window(None)


@app.command("open", hidden=True)
def open_file(file: File) -> None:
    """Open a project in the window (the same as “kelvarn FILE”)."""
    try:
        there = file.stat() is not None
    except (FileNotFoundError, NotADirectoryError):
        there = False
    except OSError as error:
        raise CommandError(reason(error, file)) from error
    if file.suffix != SUFFIX and not there:
        raise CommandError(f"“{printable(file)}” is neither a command nor a file; “kelvarn --help” lists the commands.")
    _open_window(file)


@app.command()
def demo(
    name: Annotated[str, typer.Argument(help="Which demo; “kelvarn demos” lists them.")] = DEMOS[0].name,
    out: Out = None,
) -> None:
    """Open a demo in the window; with --out, run all of it into a folder instead."""
    try:
        project = find_demo(name).build()
    except KeyError:
        known = ", ".join(d.name for d in DEMOS)
        raise CommandError(f"There is no demo “{printable(name)}”; there are: {known}.") from None
    if out is None and not has_display():
        out = Path("out")
        print(f"There is no display: the whole example goes into {out}/ instead.", file=sys.stderr)
    if out is None:
        _open_window(None, project)
        return
    target = out / f"{file_stem(project.name)}{SUFFIX}"
    if not (replaces.get() or _same(project, target)):
        raise CommandError(f"{printable(target)} is there already and is not the demo; --force replaces it.")
    found = _run_all(project, _keys(project, (), ()), out)
    save(project, target)
    _print_table(project, found)


@app.command()
def demos() -> None:
    """List the demos."""
    for found in DEMOS:
        print(f"{found.name}  {found.line}")


@app.command()
def run(
    file: File,
    candidate: Annotated[list[str] | None, typer.Option(help="Only this candidate; may be repeated.")] = None,
    trial: Annotated[list[str] | None, typer.Option(help="Only this trial; may be repeated.")] = None,
    out: Out = None,
    as_json: Annotated[bool, typer.Option("--json", help="Print one JSON object.")] = False,
    strict: Annotated[bool, typer.Option(help="Exit with 1 where a mark is not met.")] = False,
) -> None:
    """Run candidates on trials and print their measures and marks."""
    project = load(file)
    found = _run_all(project, _keys(project, candidate or (), trial or ()), out)
    if as_json:
        print(_results_text(project, found))
    else:
        _print_table(project, found)
    if strict and any(result.met < len(result.verdicts) for result in found.values()):
        raise typer.Exit(1)


@app.command()
def step(
    file: File,
    drive: Annotated[float | None, typer.Option(help="Drive in %; else about twice what holds the setpoint.")] = None,
    trial: Annotated[str | None, typer.Option(help="The trial whose setpoint that is; else the first.")] = None,
    start: Annotated[str, typer.Option("--from", help="cold or warm (at rest at half the drive).")] = "cold",
    as_json: Annotated[bool, typer.Option("--json", help="Print one JSON object.")] = False,
) -> None:
    """Step the drive without a controller; print the answer and its one-lag reading."""
    from kelvarn.engine.step import open_loop, usual_drive
    from kelvarn.files.tables import step_json

    project = load(file)
    rig = project.rig
    setpoint = trial_named(project, trial).plan.last_degC
    if start not in ("cold", "warm"):
        raise CommandError(f"--from must be cold or warm, not “{printable(start)}”.")
    if drive is not None and not 0 < abs(drive) <= 100:
        raise CommandError(f"--drive must be a percentage up to 100 and not 0, not {drive:g}.")
    share = usual_drive(rig, setpoint) if drive is None else drive / 100
    found = open_loop(rig, share, "warm" if start == "warm" else "cold")
    if as_json:
        print(json_text(step_json(found), project.scale))
        return
    from kelvarn.engine.reading_words import reading_text

    scale = project.scale or Scale.CELSIUS
    print(f"{found.before * 100:.0f} % → {found.after * 100:.0f} % drive, from {start}")
    print(reading_text(found, scale))
    for name, course in zip(found.run.rig.body_names, found.run.bodies_degC, strict=True):
        first, last = (show(float(course[k]), Quantity.TEMPERATURE, scale) for k in (0, -1))
        print(f"  {name}: {first} → {last} after {show(float(found.run.time_s[-1]), Quantity.DURATION)}")


@app.command()
def check(file: File) -> None:
    """Say whether a project file is sound."""
    project = load(file)
    bodies = counted(len(project.rig.all_bodies), "body", "bodies")
    candidates, trials = counted(len(project.candidates), "candidate"), counted(len(project.trials), "trial")
    print(f"{printable(file)} is sound: “{project.name}”, {bodies}, {candidates}, {trials}.")


@app.command("schema")
def print_schema() -> None:
    """Print the JSON Schema of the project document."""
    print(json.dumps(schema(), indent=2, ensure_ascii=False))


@dataclass(frozen=True)
class Told:
    """What is told of a result, once its course has been written."""

    measures: Measures
    verdicts: tuple[Verdict, ...]

    @property
    def met(self) -> int:
        """How many marks are met."""
        return sum(verdict.met for verdict in self.verdicts)


Found = dict[ResultKey, Told]


def _keys(project: Project, candidates: Sequence[str], trials: Sequence[str]) -> list[ResultKey]:
    """Which results are asked for; empty selections mean all."""
    check_known(candidates, [c.name for c in project.candidates], "candidate")
    check_known(trials, [t.name for t in project.trials], "trial")
    return [
        ResultKey(candidate.name, trial.name)
        for trial in project.trials
        if not trials or trial.name in trials
        for candidate in project.candidates
        if not candidates or candidate.name in candidates
    ]


def _same(project: Project, path: Path) -> bool:
    """Whether what lies there is this project, or nothing does."""
    try:
        return not path.exists() or load(path) == project
    except FileError:
        return False


def _check_folder(out: Path, names: Iterable[str]) -> None:
    """Raise CommandError where results would replace files that are none: only a folder of results has newer ones."""
    there = next((name for name in names if (out / name).exists()), None)
    if there is not None and not replaces.get() and not (out / _RESULTS).exists():
        raise CommandError(f"{printable(out / there)} is there already, without {_RESULTS}; --force replaces it.")


def _run_all(project: Project, keys: Sequence[ResultKey], out: Path | None) -> Found:
    """Compute, one after another, and write what is asked for into a folder; of each only what is told is kept."""
    trial_files = file_stems(trial.name for trial in project.trials)
    candidate_files = file_stems(candidate.name for candidate in project.candidates)
    if out is not None:
        traces = [f"{trial_files[key.trial]}--{candidate_files[key.candidate]}.csv" for key in keys]
        _check_folder(out, [*traces, *(f"{stem}.png" for stem in trial_files.values())])
        try:
            out.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise CommandError(f"{printable(out)} cannot be made: {error.strerror}.") from error
    results, found, written = Results(most_bytes=0), Found(), [_RESULTS]
    for trial in dict.fromkeys(key.trial for key in keys):
        to_draw: dict[str, Result] = {}
        for key in keys:
            if key.trial != trial:
                continue
            result = results.of(project.rig, project.candidate(key.candidate), project.trial(trial))
            found[key] = Told(result.measures, result.verdicts)
            if out is not None:
                name = f"{trial_files[trial]}--{candidate_files[key.candidate]}.csv"
                write_trace(result.run, out / name)
                written.append(name)
                to_draw[key.candidate] = Result(result.run.thinned(), result.measures, result.verdicts)
            results.clear()  # one run at a time: each may take most of a gigabyte
            del result
        if out is not None:
            written.append(_draw(project, trial, to_draw, out / f"{trial_files[trial]}.png"))
    if out is not None:
        write_text(out / _RESULTS, _results_text(project, found) + "\n")
        print(f"Written to {printable(out)}/: {', '.join(written)}", file=sys.stderr)
    return found


def _draw(project: Project, trial: str, results: dict[str, Result], path: Path) -> str:
    """Draw a trial; its file's name."""
    from kelvarn.desktop.pictures import draw_trial

    draw_trial(project, trial, results, path)
    return path.name


def _results_text(project: Project, found: Found) -> str:
    runs = [result_json(key.candidate, key.trial, told.measures, told.verdicts) for key, told in found.items()]
    for run, key in zip(runs, found, strict=True):
        run["settings"] = settings_json(project, project.candidate(key.candidate), project.trial(key.trial))
    made = {"project": project.name, "fingerprint": fingerprint(project), "runs": runs}
    return json_text(made, project.scale)


def _print_table(project: Project, found: Found) -> None:
    scale = project.scale or Scale.CELSIUS
    for trial in dict.fromkeys(key.trial for key in found):
        print(f"Trial “{trial}”")
        for key, result in found.items():
            if key.trial == trial:
                star = " ★" if key.candidate == project.chosen else ""
                ended = result.measures.ended
                first = "" if ended is None else f"{ended_text(*ended)}; "
                print(f"  {key.candidate}{star}: {first}{result.met} of {len(result.verdicts)} marks met")
                for verdict in result.verdicts:
                    met = "met    " if verdict.met else "NOT met"
                    limit = verdict.mark.limit_text(scale, short=True)
                    print(f"    {met}  {verdict.mark.title}: {verdict.text(scale)}  ({limit})")
                energy = result.measures.values["energy_J"]
                if energy is not None:
                    print(f"    energy {show(energy, Quantity.ENERGY)}")


def _open_window(file: Path | None, project: Project | None = None) -> None:
    if not has_display():
        raise CommandError(
            "There is no display to open a window on, or it does not answer; “kelvarn demo --out DIR” needs none."
        )
    opened = load(file) if file is not None else project or DEMOS[0].build()
    # The kernel loads while Qt does; the window waits for what is left of it.
    threading.Thread(target=warm, daemon=True).start()
    from kelvarn.desktop.app import start

    sys.exit(start(opened, file))


def main() -> None:
    """Entry point: every fault of the user becomes one line on stderr and exit code 2."""
    sys.stdout, sys.stderr = (stream or open(os.devnull, "w") for stream in (sys.stdout, sys.stderr))  # noqa: SIM115
    for stream in (sys.stdout, sys.stderr):
        if isinstance(stream, io.TextIOWrapper):
            stream.reconfigure(errors="replace")  # a terminal without “ or ★ shows ? rather than nothing
    sys.stdout, sys.stderr = Plain(sys.stdout), Plain(sys.stderr)
    arguments = [each for each in sys.argv[1:] if each != _FORCE]
    commands = {each.name or each.callback.__name__ for each in app.registered_commands if each.callback}
    if arguments and not arguments[0].startswith("-") and arguments[0] not in commands:
        arguments = ["open", *arguments]  # a first argument that is no command is a file for the window
    if _FORCE in sys.argv:
        arguments = [_FORCE, *arguments]
    try:
        found = app(arguments, standalone_mode=False)
        code: object = found if isinstance(found, int) else 0
        sys.stdout.flush()
    except (typer.Abort, KeyboardInterrupt):
        code = 130
    except TyperException as error:
        code = _fail(f"{_refused(error)}. “kelvarn --help” lists the commands.")
    except (CommandError, FileError, FitError, RunError) as error:
        code = _fail(str(error))
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
