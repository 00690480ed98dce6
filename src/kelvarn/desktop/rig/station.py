"""Puts the Rig station together."""

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QSplitter, QVBoxLayout, QWidget

from kelvarn.desktop import theme
from kelvarn.desktop.control.station import entries
from kelvarn.desktop.document import Document
from kelvarn.desktop.elided import ElidedLine
from kelvarn.desktop.fields.plain import heading
from kelvarn.desktop.runner import Runner
from kelvarn.desktop.strip.axis import clock
from kelvarn.desktop.strip.content import body_content
from kelvarn.desktop.strip.strip import Strip
from kelvarn.desktop.view import View
from kelvarn.engine.steady import can_hold, oddities
from kelvarn.model.rig import Rig
from kelvarn.units import Quantity, Scale, show

from .actions import RigActions
from .heat_path import HeatPath
from .panel import RigPanel
from .parts import PartsBar


class RigStation(QWidget):
    """Heat path, temperatures of the bodies, fields."""

    def __init__(
        self,
        document: Document,
        view: View,
        runner: Runner,
        guarded: Callable[[Callable[[], object]], Callable[[], bool]],
    ) -> None:
        super().__init__()
        self._document, self._view, self._runner = document, view, runner
        self.edits = RigActions(document, self._select_new)
        self.panel = RigPanel(document, view, self.edits)
        self.heat_path = HeatPath(self.select, guarded(self.edits.remove))
        self.parts = PartsBar(self.edits, guarded)
        self.strip = Strip()
        self.strip.cursor_moved.connect(view.move_cursor)
        self.strip.pin_changed.connect(self._pin)
        self._caption = ElidedLine(theme.font("small"), "muted")
        head = QHBoxLayout()
        head.setContentsMargins(6, 0, 0, 0)
        head.setSpacing(14)
        head.addWidget(heading("Heat path"))
        head.addWidget(self._caption, 1)
        frame = QFrame()
        frame.setProperty("card", True)
        inner = QVBoxLayout(frame)
        inner.setContentsMargins(1, 1, 1, 1)
        inner.setSpacing(0)
        inner.addWidget(self.heat_path, 1)
        inner.addWidget(self.parts)
        top = QWidget()
        column = QVBoxLayout(top)
        column.setContentsMargins(0, 0, 0, 0)
        column.addLayout(head)
        column.addWidget(frame, 1)
        middle = QSplitter(Qt.Orientation.Vertical)
        middle.addWidget(top)
        middle.addWidget(self.strip)
        middle.setSizes([330, 300])
        middle.setCollapsible(0, False)
        both = QSplitter(Qt.Orientation.Horizontal)
        both.setHandleWidth(theme.GAP)
        both.addWidget(middle)
        both.addWidget(self.panel)
        both.setSizes([950, theme.RIGHT_WIDTH])
        both.setStretchFactor(0, 1)
        both.setStretchFactor(1, 0)
        both.setCollapsible(0, False)
        self._verdict = QLabel()
        self._verdict.setWordWrap(True)
        self._verdict.setProperty("role", "muted")
        foot = QFrame()
        foot.setProperty("foot", True)
        row = QHBoxLayout(foot)
        row.setContentsMargins(16, 10, 16, 10)
        row.setSpacing(14)
        row.addWidget(heading("Can it do the job?"))
        row.addWidget(self._verdict, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, theme.GAP, 0, 0)
        layout.setSpacing(6)
        inset = QVBoxLayout()
        inset.setContentsMargins(theme.GAP, 0, 0, 0)
        inset.addWidget(both)
        layout.addLayout(inset, 1)
        layout.addWidget(foot)

    def select(self, key: str) -> None:
        """Show the fields of a part: a body's name, "drive", "probe" or "surroundings"."""
        self.edits.selected = key
        self.refresh()

    @property
    def verdict(self) -> str:
        """What the foot says."""
        return self._verdict.text()

    def _select_new(self, key: str, name_it: bool) -> None:
        self.select(key)
        if name_it:
            self.panel.type_name()

    def refresh(self) -> None:
        """Show the present state of document, view and runner."""
        project = self._document.project
        rig = project.rig
        known = [body.name for body in rig.all_bodies] + ["drive", "probe", "surroundings"]
        if self.edits.selected not in known:
            self.edits.selected = rig.probe.body
        self.panel.refresh()
        self.parts.refresh()
        self.heat_path.show_rig(rig, self.edits.selected, self._view.scale)
        entry = entries(self._document, self._runner)[self._view.candidate_index(project)]
        trial = self._view.trial(project)
        self.strip.show_content(body_content(trial, self._view.scale, entry, self.edits.selected))
        self._verdict.setText(verdict_text(rig, trial.plan.changes[-1].to_degC, self._view.scale))
        self.show_cursor()

    def show_cursor(self) -> None:
        """Show what depends on the cursor."""
        self.strip.set_cursor(self._view.cursor_s, self._view.pinned)
        candidate = self._view.candidate(self._document.project)
        result = self._runner.results.get(candidate.name)
        if result is None:
            self._caption.say("preparing, first start only …" if self._runner.preparing else "nothing computed yet")
            self.heat_path.show_run(None, 0)
            return
        sample = round(self._view.cursor_s / result.run.rig.probe.interval_s)
        self.heat_path.show_run(result.run, sample)
        when = clock(self._view.cursor_s, 60)
        fault = self._runner.faults.get(candidate.name)
        self._caption.say(
            fault or f"at {when} of “{result.run.trial.name}” with {candidate.name}; the cursor below moves it"
        )

    def _pin(self, pinned: bool) -> None:
        self._view.pinned = pinned
        self.show_cursor()


def verdict_text(rig: Rig, setpoint_degC: float, scale: Scale) -> str:
    """Whether the rig can hold a setpoint, and where it ends with the drive stuck on, in a sentence."""
    if odd := oddities(rig):
        return " ".join(odd)
    found = can_hold(rig, setpoint_degC)
    target = show(setpoint_degC, Quantity.TEMPERATURE, scale)
    if found is None:
        return "It never comes to rest: check the links."
    hold = found.holding_drive if found.holding_drive is not None else 9.99
    outside = show(rig.surroundings.temperature_degC, Quantity.TEMPERATURE, scale)
    if hold > 1:
        first = f"No: {target} would need {show(hold, Quantity.DRIVE)} drive at {outside} surroundings"
    elif hold < 0:
        verb = "cooled" if rig.heats else "heated"
        first = f"No: {target} would have to be {verb} at {outside} surroundings, which this drive cannot do"
    else:
        first = f"{target} needs {show(hold, Quantity.DRIVE)} drive at {outside} surroundings"
    body = rig.probe.body
    end = show(found.end_degC[body], Quantity.TEMPERATURE, scale)
    text = f"{first}; stuck on, {body} would end at {end}"
    over = [b.name for b in rig.all_bodies if b.limit_degC is not None and found.end_degC[b.name] > b.limit_degC]
    if over:
        return f"{text} and {' and '.join(over)} beyond the rated limit: an over-temperature trip is needed."
    return f"{text}."
