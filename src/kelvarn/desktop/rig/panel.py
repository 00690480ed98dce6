"""Fields of the selected part; then drive, probe and surroundings."""

from collections.abc import Hashable
from typing import Any

from PySide6.QtWidgets import QLabel, QPushButton

from kelvarn.desktop import theme
from kelvarn.desktop.document import Document
from kelvarn.desktop.fields.binding import Binding
from kelvarn.desktop.fields.number import NumberField
from kelvarn.desktop.fields.plain import ChoiceField, NameEdit, heading
from kelvarn.desktop.panel import Panel
from kelvarn.desktop.view import View
from kelvarn.model.drives import PowerDrive, Pwm, Relay, SlowWindow, heated_body
from kelvarn.model.edit import Path, put
from kelvarn.model.fields import SURROUNDINGS
from kelvarn.model.rig_edit import rename_body

from .actions import RigActions

_KINDS: dict[str, type[Relay | SlowWindow | Pwm]] = {"relay": Relay, "slow_window": SlowWindow, "pwm": Pwm}
_KIND_NAMES = [("relay", "relay"), ("slow_window", "slow window"), ("pwm", "PWM")]
_KIND_FIELDS = {
    "relay": ("shortest_on_s", "shortest_off_s", "rated_operations"),
    "slow_window": ("window_s", "shortest_pulse_s", "resolution_s"),
    "pwm": ("steps", "floor", "top"),
}


class RigPanel(Panel):
    """The right column of Rig."""

    def __init__(self, document: Document, view: View, edits: RigActions) -> None:
        super().__init__(theme.RIGHT_WIDTH - 40)
        self._document, self._view = document, view
        self._edits = edits
        self._name: NameEdit | None = None

    def type_name(self) -> None:
        """Put the hands on the name of the selected body."""
        if self._name is not None:
            self._name.setFocus()
            self._name.selectAll()

    def subject(self) -> Hashable:
        rig = self._document.project.rig
        names = tuple(body.name for body in rig.bodies)
        links = tuple((link.a, link.b) for link in rig.links)
        return self._edits.selected, names, links, rig.drive.kind, self._view.scale

    def fill(self) -> None:
        self._name = None
        rig = self._document.project.rig
        names = [body.name for body in rig.bodies]
        sections = {"drive": self._fill_drive, "probe": self._fill_probe, "surroundings": self._fill_surroundings}
        if self._edits.selected in names:
            self._fill_body(names.index(self._edits.selected))
        elif self._edits.selected in sections:
            sections[self._edits.selected]()
        for key, fill in sections.items():
            if key != self._edits.selected:
                self.add(_gap(), 6)
                fill()

    def _field(self, path: Path, name: str, title: str | None = None, empty: str | None = None) -> None:
        binding = Binding(self._document, self._view, (*path, name), title)
        if empty is not None:
            binding.extra["empty"] = empty
        self.add(NumberField(binding))

    def _fill_body(self, index: int) -> None:
        rig = self._document.project.rig
        body = rig.bodies[index]
        name = NameEdit("Name of the body", lambda: body.name, lambda new: self._rename(body.name, new))
        name.setProperty("plain", True)
        self._name = name
        self.add(name)
        notes = []
        if rig.probe.body == body.name:
            notes.append("the body the probe sits in")
        if heated_body(rig.drive) == body.name:
            notes.append(f"the body that {rig.drive.name} {rig.drive.acts}")
        if notes:
            note = QLabel("; ".join(notes))
            note.setProperty("role", "muted")
            note.setFont(theme.font("small"))
            note.setIndent(4)
            self.add(note)
        path: Path = ("rig", "bodies", index)
        self._field(path, "capacity_J_per_K")
        self._field(path, "start_degC", empty="surroundings")
        self._field(path, "limit_degC")
        for k, link in enumerate(rig.links):
            if body.name in (link.a, link.b):
                other = link.b if link.a == body.name else link.a
                to = "the surroundings" if other == SURROUNDINGS else other
                self._link_field(k, to)

    def _link_field(self, index: int, to: str) -> None:
        field = NumberField(
            Binding(self._document, self._view, ("rig", "links", index, "conductance_W_per_K"), f"Link to {to}")
        )
        unlink = QPushButton("×")
        unlink.setProperty("link", True)
        unlink.setToolTip(f"Take out the link to {to}")
        unlink.setAccessibleName(f"Take out the link to {to}")
        unlink.setFixedWidth(18)
        unlink.clicked.connect(lambda: self._edits.unlink(index))
        field.add_beside(unlink)
        self.add(field)

    def _rename(self, old: str, new: str) -> None:
        project = self._document.project
        index = project.rig.body_index(old)
        changed = rename_body(project, old, new)
        self._edits.selected = changed.rig.bodies[index].name
        self._document.apply(changed, f"rename {old}")

    def _fill_drive(self) -> None:
        rig = self._document.project.rig
        path: Path = ("rig", "drives", 0)
        self.add(heading(f"Drive: {rig.drive.name}"))
        kind = Binding(self._document, self._view, (*path, "kind"), "Kind")
        self.add(ChoiceField(kind, list(_KIND_NAMES), self._set_kind))
        self._field(path, "power_W")
        body = Binding(self._document, self._view, (*path, "body"))
        self.add(ChoiceField(body, [(b.name, b.name) for b in rig.bodies]))
        acts = Binding(self._document, self._view, (*path, "acts"))
        self.add(ChoiceField(acts, [("heats", "heats"), ("cools", "cools")]))
        self._field(path, "dead_time_s")
        for name in _KIND_FIELDS[rig.drive.kind]:
            self._field(path, name)

    def _set_kind(self, kind: str) -> None:
        project = self._document.project
        drive = project.rig.drive
        if drive.kind == kind:
            return
        shared: dict[str, Any] = {name: getattr(drive, name) for name in PowerDrive.model_fields}
        changed = put(project, ("rig", "drives", 0), _KINDS[kind](**shared))
        self._document.apply(changed, f"drive kind: {dict(_KIND_NAMES)[kind]}")

    def _fill_probe(self) -> None:
        rig = self._document.project.rig
        path: Path = ("rig", "probes", 0)
        self.add(heading(f"Probe: {rig.probe.name}"))
        body = Binding(self._document, self._view, (*path, "body"))
        self.add(ChoiceField(body, [(b.name, b.name) for b in rig.bodies]))
        for name in ("lag_s", "noise_K", "resolution_K", "interval_s"):
            self._field(path, name)

    def _fill_surroundings(self) -> None:
        self.add(heading("Surroundings"))
        self._field(("rig", "surroundings"), "temperature_degC")


def _gap() -> QLabel:
    label = QLabel()
    label.setFixedHeight(1)
    return label
