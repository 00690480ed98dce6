"""What dragging does to the project."""

from collections.abc import Callable
from contextlib import suppress
from typing import Any, cast

from pydantic import ValidationError

from kelvarn.desktop.language import tell
from kelvarn.desktop.state.document import Document
from kelvarn.desktop.state.view import View
from kelvarn.desktop.strip.axis import nice_time
from kelvarn.engine.laws.static import Corner
from kelvarn.model.edit import Path, value_at, with_fields
from kelvarn.model.fields import title_of
from kelvarn.model.guards import DAY_S, clock
from kelvarn.model.law import Edge
from kelvarn.model.trial import SetpointChange
from kelvarn.units import Quantity, from_shown, show, to_shown

_DAY_STEP_S = 900.0  # to which times of day are dragged
_FINE_K, _COARSE_K, _FINE_TO_K = 0.05, 0.1, 2.0  # steps of an edge, and up to which distance they are fine


def value_only(put: Callable[[float], str], _time_s: float, value: float) -> str:
    """A drag along the values."""
    return put(value)


class Drags:
    """Turns drags into edits of the trial shown and of the selected candidate. Each gives what it came to, in words."""

    def __init__(self, document: Document, view: View) -> None:
        self._document, self._view = document, view

    @property
    def _trial(self) -> Path:
        return "trials", self._view.trial_index(self._document.project)

    @property
    def time_step_s(self) -> float:
        """What drags along time are rounded to."""
        return nice_time(self._view.trial(self._document.project).duration_s / 1500)

    def setpoint(self, index: int, degC: float) -> str:
        """A setpoint change goes to another temperature."""
        path = (*self._trial, "plan", "changes", index, "to_degC")
        return self._put(path, self._snap_degC(degC), Quantity.TEMPERATURE, tell("Setpoint"))

    def guard_level(self, index: int, degC: float) -> str:
        """A trip, cut-off or alarm acts at another temperature."""
        path = ("rig", "guards", index, "at_degC")
        return self._put(path, self._snap_degC(degC), Quantity.TEMPERATURE, tell("Level"))

    def day_part(self, index: int, edge: str, time_s: float) -> str:
        """A part of the day begins (`from_s`) or ends (`to_s`) at another time of day, on all its days."""
        trial = self._view.trial(self._document.project)
        of_day_s = (trial.begins_at_s + time_s) % DAY_S
        snapped = round(of_day_s / _DAY_STEP_S) * _DAY_STEP_S % DAY_S
        self._put((*self._trial, "plan", "week", index, edge), snapped, Quantity.DURATION, tell("Part of the day"))
        return clock(float(self._document.get((*self._trial, "plan", "week", index, edge))) % DAY_S)

    def corner(self, index: int, time_s: float, degC: float) -> str:
        """A setpoint change happens at another instant and goes to another temperature."""
        if not self._document.in_stroke:  # something else has ended it
            return ""
        path = (*self._trial, "plan", "changes", index)
        changes = self._view.trial(self._document.project).plan.changes
        step = self.time_step_s
        latest = changes[index + 1].at_s if index + 1 < len(changes) else self._latest_s
        at_s = min(max(self._snap_s(time_s), changes[index - 1].at_s + step), latest - step)
        to_degC = self._snap_degC(degC)
        with suppress(ValidationError):  # dragged beyond what is possible: it stays where it last could be
            change = with_fields(self._document.get(path), at_s=at_s, to_degC=to_degC)
            self._document.set(path, change, tell("Setpoint change → {words}", words=self._words(change)), dragged=True)
        return self._words(self._document.get(path))

    def _words(self, change: SetpointChange) -> str:
        return tell("{to} at {at}", to=show(change.to_degC, Quantity.TEMPERATURE, self._view.scale),
                    at=show(change.at_s, Quantity.DURATION))  # fmt: skip

    def edge(self, edge: Edge, place: int, setpoint_degC: float, degC: float) -> str:
        """An edge of a law goes to another temperature."""
        if not self._document.in_stroke:  # something else has ended it
            return ""
        project = self._document.project
        law = project.candidates[place].controller
        value = law.edge_value(edge.path, degC, setpoint_degC, project.rig.way)
        path: Path = ("candidates", place, "controller", *edge.path)
        info = type(value_at(law, edge.path[:-1])).model_fields[str(edge.path[-1])]
        quantity = Quantity(cast(dict[str, Any], info.json_schema_extra)["quantity"])
        if quantity is Quantity.TEMPERATURE:
            value = self._snap_degC(value, _COARSE_K)
        elif quantity is Quantity.GAIN:
            value = float(f"{value:.2g}")
        else:
            step = 0.001 if quantity is Quantity.DRIVE else (_FINE_K if value < _FINE_TO_K else _COARSE_K)
            value = round(round(value / step) * step, 3)
        return self._put(path, value, quantity, title_of(info, str(edge.path[-1]), cools=project.rig.way.cools))

    def curve_corner(
        self, corner: Corner, place: int, setpoint_degC: float, degC: float, drive: float, *, back: bool
    ) -> None:
        """A corner of a law's curve goes to another temperature and drive, or the edge at which it is left does."""
        law_path: Path = ("candidates", place, "controller")
        way = self._document.project.rig.way
        if back:
            if corner.back is not None:
                behind = max(way.sign * (degC - corner.degC), 0.0)
                self._put((*law_path, *corner.back), round(behind, 1), Quantity.DIFFERENCE, tell("Hysteresis"))
            return
        if corner.temperature is not None:
            self.edge(Edge(corner.temperature, 0.0, "", up=True), place, setpoint_degC, degC)
        if corner.level is not None:
            self._put((*law_path, *corner.level), round(min(max(drive, 0.0), 1.0), 2), Quantity.DRIVE, tell("Drive"))

    def setting(self, place: int, path: Path, value: float, quantity: Quantity, title: str) -> None:
        """A setting of a candidate's law takes another value, to three figures."""
        self._put(("candidates", place, "controller", *path), float(f"{value:.3g}"), quantity, title)

    def event_at(self, index: int, time_s: float) -> str:
        """An event begins at another instant."""
        return self._put(
            (*self._trial, "events", index, "at_s"), self._snap_s(time_s), Quantity.DURATION, tell("Event at")
        )

    def event_end(self, index: int, time_s: float) -> str:
        """An event ends at another instant."""
        project = self._document.project
        begins = self._document.get((*self._trial, "events", index, "at_s"))
        lasts = max(self._snap_s(time_s) - begins, project.rig.probe.interval_s)
        return self._put((*self._trial, "events", index, "lasts_s"), lasts, Quantity.DURATION, tell("Event lasts"))

    def _put(self, path: Path, value: float, quantity: Quantity, title: str) -> str:
        if not self._document.in_stroke:  # something else has ended it
            return ""
        scale = self._view.scale
        before = value_at(self._document.origin, path)
        start = tell("the end") if before is None else show(before, quantity, scale)
        with suppress(ValidationError):  # dragged beyond what is possible: it stays where it last could be
            self._document.set(path, value, f"{title} {start} → {show(value, quantity, scale)}", dragged=True)
        return show(self._document.get(path), quantity, scale)

    def _snap_degC(self, value: float, step: float = 0.5) -> float:
        scale = self._view.scale
        shown = to_shown(value, Quantity.TEMPERATURE, scale)
        return from_shown(round(round(shown / step) * step, 6), Quantity.TEMPERATURE, scale)

    @property
    def _latest_s(self) -> float:
        return self._view.trial(self._document.project).duration_s

    def _snap_s(self, value: float) -> float:
        step = self.time_step_s
        return min(max(0.0, round(value / step) * step), self._latest_s - step)
