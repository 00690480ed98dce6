"""The right column of Rig: fields of the selected part; then the main drive, the probe and the surroundings."""

from collections.abc import Hashable
from typing import Any

from kelvarn.desktop.fields.binding import Binding
from kelvarn.desktop.fields.notes import NotesField
from kelvarn.desktop.fields.plain import heading
from kelvarn.desktop.language import tell
from kelvarn.model.fields import ModelBase

from . import sections
from .keys import GOAL, parse_key
from .part_panel import PartPanel


def structure(value: Any) -> Hashable:
    """What of a part decides which fields are shown for it: all but the numbers."""
    if isinstance(value, ModelBase):
        return type(value).__name__, tuple(structure(getattr(value, name)) for name in type(value).model_fields)
    if isinstance(value, tuple):
        return tuple(structure(each) for each in value)
    return value if isinstance(value, str | bool) else None


class RigPanel(PartPanel):
    """See the module."""

    def subject(self) -> Hashable:
        rig = self.document.project.rig
        limited = tuple(body.margin_K(0.0, 0.0) is not None for body in rig.bodies)
        return self.edits.selected, structure(rig), limited, self.view.scale

    def fill(self) -> None:
        self._name = None
        rig = self.document.project.rig
        found = parse_key(self.edits.selected)
        if self.edits.selected in rig.body_names:
            sections.fill_body(self, rig.body_index(self.edits.selected))
        elif self.edits.selected == GOAL:
            sections.fill_goal(self)
        elif found is not None:
            sections.FILL[found[0]](self, found[1])
        if found != ("drive", 0):
            self.gap()
            sections.fill_drive(self, 0)
        if found is None or found[0] != "probe":
            self.gap()
            sections.fill_probe(self, rig.control_index)
        self.gap()
        self.add(heading(tell("Surroundings")))
        self.field(("rig", "surroundings"), "temperature_degC")
        self.gap()
        self.add(heading(tell("The project")))
        for name in ("notes", "ideas"):
            self.add(NotesField(Binding(self.document, self.view, (name,))))
