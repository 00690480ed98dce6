"""The commands that give advice: `tune`, `suggest`, `why`, `map`. What they need is imported when they run."""

from pathlib import Path
from typing import Annotated

import typer

from kelvarn.files.project_file import load
from kelvarn.units import Scale

from .common import (
    CandidateName,
    Chosen,
    CommandError,
    File,
    Json,
    TrialName,
    candidate_named,
    check_free,
    print_json,
    progress,
    trial_named,
)

app = typer.Typer()


@app.command()
def tune(
    file: Annotated[Path | None, typer.Argument(help="A project, *.kelvarn; its open-loop step is read.")] = None,
    gain: Annotated[float | None, typer.Option(help="K at full drive, in place of a project.")] = None,
    lag: Annotated[float | None, typer.Option(help="Lag in s.")] = None,
    delay: Annotated[float | None, typer.Option(help="Dead time in s.")] = None,
    as_json: Json = False,
) -> None:
    """Print every tuning rule's settings for a rig, or why a rule does not apply."""
    from kelvarn.tune.process import PlantError

    from . import tune as words

    try:
        if file is None:
            plant, of_file = words.plant_given(gain, lag, delay), None
        elif any(figure is not None for figure in (gain, lag, delay)):
            raise CommandError("Give a project or --gain, --lag and --delay, not both.")
        else:
            plant, of_file = words.plant_of_file(file)
        if as_json:
            print_json("tune", words.tune_json(plant, of_file), of_file)
        else:
            print(words.tune_text(plant, of_file))
    except PlantError as error:
        raise CommandError(str(error)) from error


@app.command()
def suggest(
    file: File,
    trial: TrialName = None,
    all_trials: Annotated[bool, typer.Option("--all", help="Meet the marks of all trials.")] = False,
    variants: Annotated[int, typer.Option(min=0, max=5000, help="95 % of so many variants must do as well.")] = 0,
    as_json: Json = False,
) -> None:
    """Find the simplest strategy that meets a trial's marks: each at its best, by runs."""
    from kelvarn.tune.process import PlantError
    from kelvarn.tune.simplest import suggest as suggest_of

    from . import tune as words

    project = load(file)
    try:
        if all_trials and trial is not None:
            raise CommandError("Give --trial or --all, not both.")
        trials = project.trials if all_trials else (trial_named(project, trial),)
        with progress("looking for the simplest") as tell:
            found = suggest_of(project, trials, tell, variants)
    except PlantError as error:
        raise CommandError(str(error)) from error
    if as_json:
        print_json("suggest", words.suggest_json(found, trials), project)
    else:
        print(words.suggest_text(found, trials, project.scale or Scale.CELSIUS))


@app.command()
def why(
    file: File,
    candidate: CandidateName = None,
    chosen: Chosen = False,
    trial: TrialName = None,
    measure: Annotated[
        str | None, typer.Option(help="Such as overshoot_K, or recovery_s:Door; else what is most worth asking.")
    ] = None,
    as_json: Json = False,
) -> None:
    """Say what a measure of a run is made of, and what would help: by runs that differ in one thing."""
    from kelvarn.studies.reasons import ReasonError, reasons

    from . import studies as words

    project = load(file)
    law, asked = candidate_named(project, candidate, chosen), trial_named(project, trial)
    ref = None if measure is None else words.measure_named(measure, project, asked)
    try:
        with progress("looking for reasons") as tell:
            found = reasons(project, law, asked, ref, tell)
    except ReasonError as error:
        raise CommandError(str(error)) from error
    if as_json:
        print_json("why", words.why_json(law, asked, found), project)
    else:
        print(words.why_text(found, project.scale or Scale.CELSIUS))


@app.command("map")
def gain_map(  # noqa: PLR0913 - its options are those that architecture.md gives it
    file: File,
    x: Annotated[str, typer.Option(help="A setting, such as kp_per_K.")],
    y: Annotated[str, typer.Option(help="Another setting, such as ti_s.")],
    measure: Annotated[str, typer.Option(help="Such as overshoot_K, recovery_s:Door, hottest_degC:Air.")],
    candidate: CandidateName = None,
    chosen: Chosen = False,
    trial: TrialName = None,
    as_json: Json = False,
    out: Annotated[Path | None, typer.Option(help="Draw it into this PNG.")] = None,
) -> None:
    """Run a candidate over two of its settings: a measure, and where all marks are met."""
    from kelvarn.studies.gain_map import MapError

    from . import studies as words

    project = load(file)
    law, asked = candidate_named(project, candidate, chosen), trial_named(project, trial)
    ref = words.measure_named(measure, project, asked)
    if out is not None:
        check_free(out, (".png",))
    try:
        with progress("mapping") as tell:
            made = words.map_of(project, law, asked, (x, y), tell)
    except MapError as error:
        raise CommandError(str(error)) from error
    if as_json:
        print_json("map", words.map_json(law, asked, made, ref), project)
    else:
        print(words.map_text(law, asked, made, ref, project.scale or Scale.CELSIUS))
    if out is not None:
        from kelvarn.desktop.stations.pictures import draw_map

        draw_map(project, asked, made, ref, out)
