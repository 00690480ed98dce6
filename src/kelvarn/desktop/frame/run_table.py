"""A run saved as a table: computed beside the window, since of a long run the one in sight may be thinned."""

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PySide6.QtWidgets import QWidget

from kelvarn.desktop.language import tell
from kelvarn.desktop.parts.boxes import ask_where
from kelvarn.desktop.stations.station import Context
from kelvarn.engine.prepare import RunError
from kelvarn.engine.run import Run, compute
from kelvarn.files.tables import write_trace
from kelvarn.files.writing import file_stem
from kelvarn.model.candidate import Controller
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Trial


def ask_table(parent: QWidget, context: Context, folder: Path, say: Callable[[str], None]) -> None:
    """Ask where, and write the run of the selected candidate on the selected trial, a row a reading.

    Args:
        parent, folder: over what it asks, and where that begins.
        context: what is selected, and what computes.
        say: told what came of it.
    """
    project = context.document.project
    candidate, trial = context.view.candidate(project), context.view.trial(project)
    suggested = folder / f"{file_stem(f'{trial.name}-{candidate.name}')}.csv"
    path = ask_where(parent, tell("Save the run as a table"), suggested, "CSV (*.csv)")
    if path is None:
        return

    def done(found: object) -> None:
        if not isinstance(found, Run):
            say(str(found))
        elif context.guarded(partial(write_trace, found, path))():
            say(f"Written: {path}, {found.time_s.size} rows")

    run = partial(_run_or_fault, project.rig, candidate.controller, trial)
    context.runner.jobs.start("table", run, done)


def _run_or_fault(rig: Rig, law: Controller, trial: Trial) -> Run | str:
    try:
        return compute(rig, law, trial)
    except RunError as error:
        return str(error)
