"""The commands that give advice: `tune`, `suggest`, `why`, `map`. What they need is imported when they run."""

from pathlib import Path
from typing import Annotated

import typer

from kelvarn.files.project_file import load

from .cli_common import CommandError, File, check_free, check_known, trial_named

app = typer.Typer()

_Json = Annotated[bool, typer.Option("--json", help="Print one JSON object.")]
_Candidate = Annotated[str, typer.Option(help="The candidate.")]
_Trial = Annotated[str | None, typer.Option(help="The trial; else the first.")]


@app.command()
def tune(
    file: Annotated[Path | None, typer.Argument(help="A project, *.kelvarn; its open-loop step is read.")] = None,
    gain: Annotated[float | None, typer.Option(help="K at full drive, in place of a project.")] = None,
    lag: Annotated[float | None, typer.Option(help="Lag in s.")] = None,
    delay: Annotated[float | None, typer.Option(help="Dead time in s.")] = None,
    as_json: _Json = False,
) -> None:
    """Print every tuning rule's settings for a rig, or why a rule does not apply."""
    from kelvarn import cli_tune
    from kelvarn.tune.plant import PlantError

    try:
        if file is None:
            plant, of_file = cli_tune.plant_given(gain, lag, delay), None
        elif any(figure is not None for figure in (gain, lag, delay)):
            raise CommandError("Give a project or --gain, --lag and --delay, not both.")
        else:
            plant, of_file = cli_tune.plant_of_file(file)
        print(cli_tune.tune_json_text(plant, of_file) if as_json else cli_tune.tune_text(plant, of_file))
    except PlantError as error:
        raise CommandError(str(error)) from error


@app.command()
def suggest(
    file: File,
    trial: _Trial = None,
    all_trials: Annotated[bool, typer.Option("--all", help="Meet the marks of all trials.")] = False,
    variants: Annotated[int, typer.Option(min=0, max=5000, help="95 % of so many variants must do as well.")] = 0,
    as_json: _Json = False,
) -> None:
    """Find the simplest strategy that meets a trial's marks: each at its best, by runs."""
    from kelvarn import cli_tune
    from kelvarn.tune.plant import PlantError

    project = load(file)
    try:
        if all_trials and trial is not None:
            raise CommandError("Give --trial or --all, not both.")
        trials = project.trials if all_trials else (trial_named(project, trial),)
        print(cli_tune.suggest_text(project, trials, as_json=as_json, variants=variants))
    except PlantError as error:
        raise CommandError(str(error)) from error


@app.command()
def why(
    file: File,
    candidate: _Candidate,
    trial: _Trial = None,
    measure: Annotated[
        str | None, typer.Option(help="Such as overshoot_K, or recovery_s:Door; else what is most worth asking.")
    ] = None,
    as_json: _Json = False,
) -> None:
    """Say what a measure of a run is made of, and what would help: by runs that differ in one thing."""
    from kelvarn import cli_studies
    from kelvarn.studies.reasons import ReasonError

    project = load(file)
    check_known((candidate,), [c.name for c in project.candidates], "candidate")
    chosen = trial_named(project, trial)
    try:
        ref = None if measure is None else cli_studies.measure_named(measure, project, chosen)
        print(cli_studies.why_text(project, project.candidate(candidate), chosen, ref, as_json=as_json))
    except ReasonError as error:
        raise CommandError(str(error)) from error


@app.command("map")
def gain_map(
    file: File,
    candidate: _Candidate,
    x: Annotated[str, typer.Option(help="A setting, such as kp_per_K.")],
    y: Annotated[str, typer.Option(help="Another setting, such as ti_s.")],
    measure: Annotated[str, typer.Option(help="Such as overshoot_K, recovery_s:Door, hottest_degC:Air.")],
    trial: _Trial = None,
    as_json: _Json = False,
    out: Annotated[Path | None, typer.Option(help="Draw it into this PNG.")] = None,
) -> None:
    """Run a candidate over two of its settings: a measure, and where all marks are met."""
    from kelvarn import cli_studies
    from kelvarn.studies.gain_map import MapError

    project = load(file)
    check_known((candidate,), [c.name for c in project.candidates], "candidate")
    chosen = trial_named(project, trial)
    ref = cli_studies.measure_named(measure, project, chosen)
    if out is not None:
        check_free(out, (".png",))
    try:
        made = cli_studies.map_of(project, project.candidate(candidate), chosen, x, y)
    except MapError as error:
        raise CommandError(str(error)) from error
    print(cli_studies.map_text(project, candidate, chosen, made, ref, as_json=as_json))
    if out is not None:
        from kelvarn.desktop.pictures import draw_map

        draw_map(project, chosen, made, ref, out)
