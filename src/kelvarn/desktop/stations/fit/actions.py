"""What is done with the log shown, by menu, key or click."""

import math
from collections.abc import Callable
from functools import partial
from pathlib import Path

import numpy as np
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QFileDialog, QInputDialog, QWidget

from kelvarn.desktop.language import tell
from kelvarn.desktop.stations.station import Context
from kelvarn.fit.calibration import Thermistor
from kelvarn.fit.observed import FitError
from kelvarn.model.edit import with_fields
from kelvarn.model.log import Log, LogReading
from kelvarn.model.log_data import LogData
from kelvarn.model.names import MOST_CHARACTERS
from kelvarn.model.probes import Converter, Correction
from kelvarn.sentence import say
from kelvarn.units import shortened

from .edits import LogEdits
from .knowledge import Knowledge, RigReport, WantedFit

_KINDS = "Logs (*.csv *.tsv *.txt *.log *.json *.jsonl *.dat);;All files (*)"
_AROUND = 0.02  # share of a log that is left out at the cursor, each way


class LogActions:
    """See the module.

    Args:
        over: the widget over which is asked.
        context, known, edits: what it works on.
        log: the log shown; None without one.
        at: where the cursor stands, s.
        wanted: what is fitted.
    """

    def __init__(
        self, over: QWidget, context: Context, known: Knowledge, edits: LogEdits, log: Callable[[], Log | None],
        at: Callable[[], float], wanted: Callable[[], WantedFit],
    ) -> None:  # fmt: skip
        self._over, self._document, self._view, self._guarded = over, context.document, context.view, context.guarded
        self._known, self.edits, self._log, self._at, self._wanted = known, edits, log, at, wanted

    @property
    def shown(self) -> Log | None:
        """The log shown."""
        return self._log()

    @property
    def data(self) -> LogData | None:
        """What it says, where that is known."""
        found = None if self.shown is None else self._known.data(self.shown)
        return found if isinstance(found, LogData) else None

    def ask_open(self) -> None:
        """Ask for files and add them as logs."""
        names, _ = QFileDialog.getOpenFileNames(self._over, tell("Open a log"), str(Path.home()), _KINDS)
        self.open_files([Path(name) for name in names])

    def open_files(self, paths: list[Path]) -> None:
        """Add files as logs; what is wrong with one is said, the others are added."""
        for path in paths:
            self._guarded(partial(self.edits.open, path))()

    def paste(self) -> None:
        """Add the rows that were copied."""
        self.edits.paste(QGuiApplication.clipboard().text())

    def ask_kept(self) -> None:
        """Ask which kept run is to be a log."""
        kept = self._document.project.kept
        if not kept:
            raise FitError(say("No run is kept yet; “Keep this run” at the Control station keeps one."))
        names = [run.name for run in kept]
        name, wanted = QInputDialog.getItem(self._over, "Kelvarn", tell("Kept run"), names, 0, False)
        if wanted:
            self.edits.from_run(kept[names.index(name)])

    def leave_out_here(self) -> None:
        """Leave a short span round the cursor out; its ends are then dragged."""
        data = self.data
        if data is not None:
            half, at = _AROUND * data.duration_s, self._at()
            self.leave_out(max(at - half, 0.0), min(at + half, data.duration_s), "")

    def leave_out(self, from_s: float, to_s: float, why: str) -> None:
        """Leave a span out of the fit."""
        if self.shown is not None:
            self.edits.leave_out(self.shown.name, from_s, to_s, why)

    def ask_note(self) -> None:
        """Ask for a note and pin it to the cursor."""
        data = self.data
        if self.shown is None or data is None:
            return
        text, wanted = QInputDialog.getText(self._over, "Kelvarn", tell("What happened here?"))
        if wanted and text.strip():
            self.edits.note_at(self.shown.name, self._at(), text.strip())

    def remove(self) -> None:
        """Take the log shown out of the project."""
        if self.shown is not None:
            self.edits.remove(self.shown.name)

    def confirm(self) -> None:
        """The log is read rightly: go on to the fit."""
        if self.shown is not None:
            self.edits.set(self.shown.name, tell("use the log {shown}", shown=self.shown.name), confirmed=True)

    def use_in_rig(self) -> None:
        """Let the rig be what was fitted."""
        found = self._known.fitted
        if isinstance(found, RigReport):
            project = self.edits.with_rig(found.fit)
            self._known.keep(project, self._wanted())
            self._document.apply(project, tell("use the fitted values in the rig"))
        elif found is not None:
            self.edits.use_response(found)

    def to_trial(self) -> None:
        """Make a trial of what the log went through."""
        data = self.data
        if self.shown is not None and data is not None:
            self._view.select_trial(self.edits.to_trial(self.shown, data))

    def read_as(self, reading: LogReading, what: str) -> None:
        """Read the log shown otherwise."""
        if self.shown is not None:
            self.edits.read_as(self.shown.name, reading, shortened(what, 60))

    def use_correction(self, correction: Correction) -> None:
        """Let the control probe be corrected."""
        project = self._document.project
        path = ("rig", "probes", project.rig.control_index, "correction")
        self._document.set(path, correction, tell("calibrate the probe"))

    def converted_degC(self, count: float) -> float | None:
        """What the control probe's converter makes of a raw count; None where it has none, or it is no reading."""
        made = self._document.project.rig.probe.converter
        if made is None or made.sensor != "ntc":
            return None
        degC = float(made.degC_of_counts(np.array([count]), 2.0**made.bits - 1)[0])
        return degC if math.isfinite(degC) else None

    def use_ntc(self, found: Thermistor) -> None:
        """Let the control probe's converter have a thermistor."""
        project = self._document.project
        probe = project.rig.probe
        made = probe.converter or Converter()
        made = with_fields(made, sensor="ntc", ohm_at_25_degC=found.ohm_at_25_degC, beta_K=found.beta_K)
        self._document.set(
            ("rig", "probes", project.rig.control_index, "converter"), made, tell("thermistor of the probe")
        )

    def ask_name(self) -> None:
        """Ask what the log shown is to be called."""
        assert self.shown is not None
        name, wanted = QInputDialog.getText(self._over, "Kelvarn", tell("Name of the log"), text=self.shown.name)
        if wanted and name.strip():
            self.edits.rename(self.shown.name, name.strip()[:MOST_CHARACTERS])
