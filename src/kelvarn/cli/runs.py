"""The commands that run candidates on trials: `demo`, `demos`, `run`, `step`."""

import sys
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Annotated

import typer

from kelvarn.demos import DEMOS, find_demo
from kelvarn.display import has_display
from kelvarn.engine.marks import Verdict
from kelvarn.engine.measures import Measures, ended_text
from kelvarn.files.faults import FileError, printable
from kelvarn.files.project_file import SUFFIX, load, save
from kelvarn.files.tables import result_json, write_trace
from kelvarn.files.writing import file_stem, file_stems, write_text
from kelvarn.handover.settings import settings_json
from kelvarn.model.names import check_known
from kelvarn.model.project import Project
from kelvarn.studies.results import Result, ResultKey, Results
from kelvarn.units import Quantity, Scale, show

from .common import (
    Chosen,
    CommandError,
    File,
    Json,
    candidate_named,
    open_window,
    print_json,
    progress,
    replaces,
    results_text,
    trial_named,
)

app = typer.Typer()
_RESULTS = "results.json"
Out = Annotated[Path | None, typer.Option(help="Write results, traces and pictures into this folder.")]


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
        open_window(None, project)
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
    chosen: Chosen = False,
    out: Out = None,
    as_json: Json = False,
    strict: Annotated[bool, typer.Option("--strict", help="Exit with 1 where a mark is not met.")] = False,
) -> None:
    """Run candidates on trials and print their measures and marks."""
    project = load(file)
    if chosen:
        candidate = [candidate_named(project, candidate[0] if candidate else None, chosen).name]
    keys = _keys(project, candidate or (), trial or ())
    asked = dict.fromkeys(key.trial for key in keys)
    if strict and not any(project.trial(name).marks for name in asked):
        named = ", ".join(f"“{name}”" for name in asked)
        raise CommandError(f"--strict needs marks, and {named} has none." if len(asked) == 1 else
                           f"--strict needs marks, and none of {named} has any.")  # fmt: skip
    found = _run_all(project, keys, out)
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
    as_json: Json = False,
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
        print_json("step", step_json(found), project)
        return
    from kelvarn.words.reading import reading_text

    scale = project.scale or Scale.CELSIUS
    began = start if rig.unit is None else {"cold": "rest", "warm": "half the drive"}[start]
    print(f"{found.before * 100:.0f} % → {found.after * 100:.0f} % drive, from {began}")
    print(reading_text(found, scale))
    for name, course in zip(found.run.rig.body_names, found.run.bodies_degC, strict=True):
        first, last = (show(float(course[k]), Quantity.TEMPERATURE, scale) for k in (0, -1))
        print(f"  {name}: {first} → {last} after {show(float(found.run.time_s[-1]), Quantity.DURATION)}")


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
            with progress(f"run {len(found) + 1} of {len(keys)}"):
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
    from kelvarn.desktop.stations.pictures import draw_trial

    draw_trial(project, trial, results, path)
    return path.name


def _results_text(project: Project, found: Found) -> str:
    runs = [result_json(key.candidate, key.trial, told.measures, told.verdicts) for key, told in found.items()]
    for run, key in zip(runs, found, strict=True):
        run["settings"] = settings_json(project, project.candidate(key.candidate), project.trial(key.trial))
    return results_text("run", {"runs": runs}, project)


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
