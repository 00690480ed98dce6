"""Settings of the selected candidate, and of the trial it runs on."""

from collections.abc import Hashable
from functools import partial

from PySide6.QtCore import QPoint
from PySide6.QtWidgets import QButtonGroup, QFrame, QHBoxLayout, QMenu, QPushButton, QWidget

from kelvarn.desktop import theme
from kelvarn.desktop.document import Document
from kelvarn.desktop.fields.binding import Binding
from kelvarn.desktop.fields.number import NumberField
from kelvarn.desktop.fields.plain import ChoiceField, NameEdit, SwitchField, heading
from kelvarn.desktop.fields.ruler import RulerField
from kelvarn.desktop.panel import Panel
from kelvarn.desktop.view import View
from kelvarn.model.candidate import OnOff, Pid
from kelvarn.model.edit import Path, add_event, remove_event, rename_event
from kelvarn.model.fields import SURROUNDINGS
from kelvarn.model.trial import DoorOpens, DrawOffRuns, Event, Load, ProbeFault

from .actions import NEW, CandidateActions

_MORE_ON_OFF = ("shortest_on_s", "shortest_off_s", "confirm_s", "decide_every_s")
_MORE_PID = ("filter_n", "derivative_weight", "bias", "low", "high", "rate_per_s")
_EVENT_VALUES: dict[str, tuple[str, ...]] = {
    "door": ("conductance_W_per_K",), "surroundings": ("change_K",), "load": ("power_W",), "draw_off": (),
    "supply": ("to",), "probe_fault": (),
}  # fmt: skip
_FAULTS = ("open", "short", "stuck", "stale", "drift", "offset", "spikes")
_FAULT_VALUES = {"drift": ("size_K",), "offset": ("size_K",), "spikes": ("size_K", "every_s"), "stale": ("every_s",)}
EVENT_NAMES = [
    ("door", "a door opens"), ("surroundings", "the surroundings change"), ("load", "heat from elsewhere"),
    ("draw_off", "a draw-off runs"), ("supply", "the supply sags"), ("probe_fault", "the probe fails"),
]  # fmt: skip


class Settings(Panel):
    """The right column of Control."""

    def __init__(self, document: Document, view: View, actions: CandidateActions) -> None:
        super().__init__(theme.RIGHT_WIDTH - 40)
        self._document, self._view, self._actions = document, view, actions
        self._more = False
        self.add_event = QPushButton()

    def subject(self) -> Hashable:
        project = self._document.project
        candidate, trial = self._view.candidate(project), self._view.trial(project)
        events = tuple((e.kind, e.name, e.lasts_s is None, getattr(e, "fault", None)) for e in trial.events)
        return (
            self._view.candidate_index(project),
            candidate.name,
            candidate.strategy,
            getattr(candidate.controller, "anti_windup", None),
            self._more,
            trial.name,
            len(trial.plan.changes),
            events,
            project.rig.body_names,
            tuple(probe.name for probe in project.rig.probes),
            tuple(draw_off.name for draw_off in project.rig.draw_offs),
            self._view.scale,
        )

    def fill(self) -> None:
        project = self._document.project
        index = self._view.candidate_index(project)
        candidate = project.candidates[index]
        path: Path = ("candidates", index, "controller")
        name = NameEdit(
            "Name of the candidate", lambda: candidate.name, lambda new: self._actions.rename(candidate.name, new)
        )
        name.setProperty("plain", True)
        self.add(name)
        self.add(_Strategies(self._actions, candidate.strategy))
        controller = candidate.controller
        if isinstance(controller, OnOff):
            rulers, more = ["below_K", "above_K"], list(_MORE_ON_OFF)
        else:
            rulers, more = _pid_rulers(controller), _pid_more(controller)
        for k, field in enumerate(rulers):
            self.add(RulerField(self._bind(path, field)), 6 if k == 0 else 0)
        self.add(self._fold(_more_text(controller)))
        if self._more:
            for field in more:
                self.add(NumberField(self._bind(path, field)))
            if isinstance(controller, OnOff):
                self.add(SwitchField(self._bind(path, "once")))
            elif controller.integrates:
                self._add_windup(path, controller)
        self._fill_trial()

    def _bind(self, path: Path, field: str) -> Binding:
        return Binding(self._document, self._view, (*path, field))

    def _fold(self, more: str) -> QPushButton:
        button = QPushButton("– fewer settings" if self._more else f"+ more: {more}")
        button.setProperty("link", True)
        button.clicked.connect(self._toggle_more)
        return button

    def _toggle_more(self) -> None:
        self._more = not self._more
        self.refresh()

    def _add_windup(self, path: Path, controller: Pid) -> None:
        choices = [("none", "none"), ("hold", "hold while limited"), ("back_calculation", "back-calculation")]
        self.add(ChoiceField(self._bind(path, "anti_windup"), list(choices)))
        if controller.anti_windup == "back_calculation":
            tracking = self._bind(path, "tracking_s")
            tracking.extra["empty"] = "√(Ti·Td)" if controller.acting_td_s else "Ti"
            self.add(NumberField(tracking))

    def _fill_trial(self) -> None:
        project = self._document.project
        place = self._view.trial_index(project)
        trial = project.trials[place]
        path: Path = ("trials", place)
        self.add(_rule(), 8)
        self.add(heading(f"Trial: {trial.name}"))
        last = len(trial.plan.changes) - 1
        for k in range(len(trial.plan.changes)):
            title = "Setpoint" if last == 0 else f"Setpoint {k + 1}"
            where: Path = (*path, "plan", "changes", k, "to_degC")
            self.add(NumberField(Binding(self._document, self._view, where, title)))
        for field in ("duration_s", "start_degC", "band_K"):
            binding = self._bind(path, field)
            if field == "start_degC":
                binding.extra["empty"] = "cold"
            self.add(NumberField(binding))
        for k, event in enumerate(trial.events):
            self._fill_event(place, k, event)
        self.add_event = QPushButton("+ event …")
        self.add_event.setProperty("link", True)
        self.add_event.clicked.connect(
            lambda: self.event_menu(place).popup(self.add_event.mapToGlobal(QPoint(0, self.add_event.height())))
        )
        self.add(self.add_event, 8)

    def _fill_event(self, place: int, k: int, event: Event) -> None:
        path: Path = ("trials", place, "events", k)
        self.add(_EventHead(self._document, place, k), 8)
        rig = self._document.project.rig
        choices: dict[str, list[str]] = {}
        if isinstance(event, DoorOpens):
            choices = {"body": list(rig.body_names), "to": [SURROUNDINGS, *rig.body_names]}
        elif isinstance(event, Load):
            choices = {"body": list(rig.body_names)}
        elif isinstance(event, DrawOffRuns):
            choices = {"draw_off": [each.name for each in rig.draw_offs]}
        elif isinstance(event, ProbeFault):
            choices = {"probe": [each.name for each in rig.probes], "fault": list(_FAULTS)}
        for field, names in choices.items():
            if len(names) > 1:
                self.add(ChoiceField(self._bind(path, field), [(name, name) for name in names]))
        values = _FAULT_VALUES.get(event.fault, ()) if isinstance(event, ProbeFault) else _EVENT_VALUES[event.kind]
        for field in ("at_s", "lasts_s", *values):
            binding = self._bind(path, field)
            if field in ("lasts_s", "conductance_W_per_K"):
                binding.extra["empty"] = "to the end" if field == "lasts_s" else "as the rig says"
            self.add(NumberField(binding))

    def event_menu(self, place: int) -> QMenu:
        """Kinds of events that can be added to a trial."""
        menu = QMenu(self)
        for kind, name in EVENT_NAMES:
            action = menu.addAction(name, partial(self._add_event, place, kind))
            action.setEnabled(kind != "draw_off" or bool(self._document.project.rig.draw_offs))
        return menu

    def _add_event(self, place: int, kind: str) -> None:
        changed = add_event(self._document.project, place, kind)
        self._document.apply(changed, f"add event {changed.trials[place].events[-1].name}")


class _Strategies(QWidget):
    """On/off, P, PI, PID."""

    def __init__(self, actions: CandidateActions, strategy: str) -> None:
        super().__init__()
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        group = QButtonGroup(self)
        for name in NEW:
            button = QPushButton(name)
            button.setCheckable(True)
            button.setProperty("chip", True)
            button.setChecked(name.lower() == strategy.lower())
            button.clicked.connect(lambda _=False, n=name: actions.set_strategy(n))
            group.addButton(button)
            layout.addWidget(button, 1)


class _EventHead(QWidget):
    """Name of an event, and a button that removes it."""

    def __init__(self, document: Document, trial: int, index: int) -> None:
        super().__init__()
        event = document.project.trials[trial].events[index]

        def rename(new: str) -> None:
            document.apply(rename_event(document.project, trial, event.name, new), f"rename {event.name}")

        def remove() -> None:
            document.apply(remove_event(document.project, trial, index), f"remove {event.name}")

        name = NameEdit("Name of the event", lambda: event.name, rename)
        name.setProperty("plain", True)
        button = QPushButton("remove")
        button.setProperty("link", True)
        button.setAccessibleName(f"Remove event {event.name}")
        button.clicked.connect(remove)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(name, 1)
        layout.addWidget(button)


def _rule() -> QFrame:
    line = QFrame()
    line.setFrameShape(QFrame.Shape.NoFrame)
    line.setFixedHeight(1)
    line.setProperty("rule", True)
    return line


def _pid_rulers(controller: Pid) -> list[str]:
    found = ["kp_per_K"]
    if controller.integrates:
        found.append("ti_s")
    if controller.terms == "PID":
        found.append("td_s")
    if controller.integrates:
        found.append("setpoint_weight")
    return found


def _more_text(controller: OnOff | Pid) -> str:
    """What is behind the fold, in a few words."""
    if isinstance(controller, OnOff):
        return "shortest times, delays"
    return {"P": "bias, limits", "PI": "limits, wind-up", "PID": "filter, limits, wind-up"}[controller.terms]


def _pid_more(controller: Pid) -> list[str]:
    speed = ("filter_n", "derivative_weight")
    return [name for name in _MORE_PID if controller.terms == "PID" or name not in speed]
