"""What drags on the strip do to the project."""

from contextlib import suppress

from pydantic import ValidationError

from kelvarn.desktop.document import Document
from kelvarn.desktop.strip.axis import nice_time
from kelvarn.desktop.strip.handles import Handle
from kelvarn.desktop.view import View
from kelvarn.model.candidate import OnOff
from kelvarn.model.edit import Path, value_at
from kelvarn.units import Quantity, from_shown, show, to_shown


class StripEdits:
    """Turns drags into edits of the trial and of the selected candidate; one drag is one entry of undo."""

    def __init__(self, document: Document, view: View) -> None:
        self._document, self._view = document, view

    def begin_drag(self) -> None:
        """See `Edits`."""
        self._document.begin_stroke()

    def end_drag(self) -> None:
        """See `Edits`."""
        self._document.end_stroke()

    def abort_drag(self) -> None:
        """See `Edits`."""
        self._document.abort_stroke()

    def drag(self, handle: Handle, value: float) -> str:
        """See `Edits`."""
        if not self._document.in_stroke:  # something else has ended it
            return ""
        project = self._document.project
        trial: Path = ("trials", self._view.trial_index(project))
        match handle.kind:
            case "setpoint":
                path: Path = (*trial, "plan", "changes", handle.index, "to_degC")
                return self._put(path, self._snap_degC(value), Quantity.TEMPERATURE, "Setpoint")
            case "edge_on" | "edge_off":
                return self._drag_edge(handle.kind, value)
            case "event_move":
                path = (*trial, "events", handle.index, "at_s")
                return self._put(path, self._snap_s(value), Quantity.DURATION, "Event at")
            case _:
                start = self._document.get((*trial, "events", handle.index, "at_s"))
                path = (*trial, "events", handle.index, "lasts_s")
                lasts = max(self._snap_s(value) - start, project.rig.probe.interval_s)
                return self._put(path, lasts, Quantity.DURATION, "Event lasts")

    def _drag_edge(self, kind: str, degC: float) -> str:
        project = self._document.project
        index = self._view.candidate_index(project)
        controller = project.candidates[index].controller
        if not isinstance(controller, OnOff):
            return ""
        setpoint = self._view.trial(project).plan.last_degC
        cools = not project.rig.heats
        below = kind == "edge_on"
        distance = (setpoint - degC) if below != cools else (degC - setpoint)
        step = 0.05 if abs(distance) < 2 else 0.1
        distance = max(0.0, round(distance / step) * step)
        field, title = ("below_K", "On below setpoint by") if below else ("above_K", "Off above setpoint by")
        return self._put(("candidates", index, "controller", field), round(distance, 3), Quantity.DIFFERENCE, title)

    def _put(self, path: Path, value: float, quantity: Quantity, title: str) -> str:
        scale = self._view.scale
        before = value_at(self._document.origin, path)
        start = "the end" if before is None else show(before, quantity, scale)
        with suppress(ValidationError):  # dragged beyond what is possible: it stays where it last could be
            self._document.set(path, value, f"{title} {start} → {show(value, quantity, scale)}", dragged=True)
        return show(self._document.get(path), quantity, scale)

    def _snap_degC(self, value: float) -> float:
        scale = self._view.scale
        shown = to_shown(value, Quantity.TEMPERATURE, scale)
        return from_shown(round(shown / 0.5) * 0.5, Quantity.TEMPERATURE, scale)

    def _snap_s(self, value: float) -> float:
        trial = self._view.trial(self._document.project)
        step = nice_time(trial.duration_s / 1500)
        latest = trial.duration_s - step
        return min(max(0.0, round(value / step) * step), latest)
