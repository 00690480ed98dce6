"""What can be done with the parts of a rig: one place for menu, keys and the bar below the heat path."""

from collections.abc import Callable

from kelvarn.desktop.language import tell
from kelvarn.desktop.state.document import Document
from kelvarn.engine.step import Reading
from kelvarn.model import rig_edit
from kelvarn.model.edit import EditError
from kelvarn.model.fields import SURROUNDINGS, end_name
from kelvarn.model.goal import Goal
from kelvarn.model.project import Project
from kelvarn.model.response import ResponseModel
from kelvarn.sentence import say

from .keys import GOAL, key_of, known_keys, parse_key


class RigActions:
    """Adds and removes parts.

    Args:
        document: what is edited.
        select: shows that another part is selected; True asks for its name to be typed.

    """

    def __init__(self, document: Document, select: Callable[[str, bool], None]) -> None:
        self._document, self._select = document, select
        self._selected = ""
        document.replaced.connect(self._forget)

    @property
    def selected(self) -> str:
        """The part selected, by its key; where it has gone the body that is controlled."""
        rig = self._project.rig
        return self._selected if self._selected in (*known_keys(rig), GOAL) else rig.probe.body

    @selected.setter
    def selected(self, key: str) -> None:
        self._selected = key

    def _forget(self) -> None:
        self._selected = ""

    @property
    def _project(self) -> Project:
        return self._document.project

    @property
    def body(self) -> str | None:
        """The body selected; None where something else is."""
        return self.selected if self.selected in self._project.rig.body_names else None

    @property
    def beside(self) -> str:
        """The body that something new belongs to: the selected one, else the one that is controlled."""
        return self.body or self._project.rig.probe.body

    @property
    def whole(self) -> bool:
        """Whether the rig has bodies and links, rather than a response model."""
        return self._project.rig.response is None

    def add_body(self) -> None:
        """Add a body, linked to the selected one, else to the surroundings. Raises EditError where there is no room."""
        self._need_bodies()
        changed, name = rig_edit.add_body(self._project, self.body or SURROUNDINGS)
        self._document.apply(changed, tell("add {what}", what=name))
        self._select(name, True)

    def can_link(self) -> list[str]:
        """What the selected body can be linked to."""
        return rig_edit.unlinked(self._project.rig, self.body) if self.body is not None and self.whole else []

    def link(self, other: str) -> None:
        """Link the selected body to another one or to the surroundings."""
        if self.body is not None and other in self.can_link():
            self._document.apply(
                rig_edit.add_link(self._project, self.body, other),
                tell("link {one} to {other}", one=self.body, other=end_name(other)),
            )

    def add_loss(self) -> None:
        """Link the selected body to the surroundings."""
        self.link(SURROUNDINGS)

    def unlink(self, index: int) -> None:
        """Take a link out."""
        link = self._project.rig.links[index]
        self._document.apply(
            rig_edit.remove_link(self._project, index),
            tell("unlink {one} and {other}", one=end_name(link.a), other=end_name(link.b)),
        )

    def add_drive(self, kind: str) -> None:
        """Add a drive of a kind that acts on the selected body. Raises EditError where there is no room."""
        changed, name = rig_edit.add_drive(self._project, kind, self.beside)
        self._document.apply(changed, tell("add {what}", what=name))
        self._select(key_of("drive", len(changed.rig.drives) - 1), True)

    def add_fan_link(self) -> None:
        """Let a fan drive the selected link, else the selected body's way to the surroundings."""
        self._need_bodies()
        project, found = self._project, parse_key(self.selected)
        if found is None or found[0] != "link":
            links = [k for k, x in enumerate(project.rig.links) if x.joins(self.beside, SURROUNDINGS)]
            if not links:
                project = rig_edit.add_link(project, self.beside, SURROUNDINGS)
                links = [len(project.rig.links) - 1]
            found = "link", links[0]
        changed, name = rig_edit.drive_link(project, found[1])
        self._document.apply(changed, tell("{drive} drives a link", drive=name))
        self._select(key_of("link", found[1]), False)

    def add_draw_off(self) -> None:
        """Add a draw-off from the selected body."""
        self._need_bodies()
        changed, name = rig_edit.add_draw_off(self._project, self.beside)
        self._document.apply(changed, tell("add {what}", what=name))
        self._select(key_of("draw_off", len(changed.rig.draw_offs) - 1), True)

    def add_probe(self) -> None:
        """Add a probe to the selected body. Raises EditError where there is no room."""
        changed, name = rig_edit.add_probe(self._project, self.beside)
        self._document.apply(changed, tell("add {what}", what=name))
        self._select(key_of("probe", len(changed.rig.probes) - 1), True)

    def set_goal(self) -> None:
        """Show the goal; where there is none, begin with 2 K to either side of where the first plan ends."""
        project, rig = self._project, self._project.rig
        if rig.goal is None:
            wanted = project.first_trial.plan.last_degC
            goal = Goal(body=rig.judged_body, low_degC=wanted - 2, high_degC=wanted + 2)
            self._document.set(("rig", "goal"), goal, tell("set a goal"))
        self._select(GOAL, False)

    def remove(self) -> None:
        """Remove the selected part. Raises EditError where something depends on it."""
        found = parse_key(self.selected)
        if self.body is not None:
            gone, changed = self.body, rig_edit.remove_body(self._project, self.body)
        elif found is not None:
            kind, index = found
            if kind == "link":
                self.unlink(index)
                self._select(self._project.rig.probe.body, False)
                return
            part = {"drive": self._project.rig.drives, "probe": self._project.rig.probes,
                    "draw_off": self._project.rig.draw_offs}[kind][index]  # fmt: skip
            how = {"drive": rig_edit.remove_drive, "probe": rig_edit.remove_probe,
                   "draw_off": rig_edit.remove_draw_off}[kind]  # fmt: skip
            gone, changed = part.name, how(self._project, index)
        else:
            return
        self._select(changed.rig.probe.body, False)
        self._document.apply(changed, tell("remove {what}", what=gone))

    def use_response(self, reading: Reading | None) -> None:
        """Put what was read off the open-loop step in place of bodies and links. Raises EditError without a reading."""
        self._need_bodies()
        if reading is None:
            raise EditError(say("There is no open-loop answer to read yet; wait for the step, or set its drive."))
        name = self._project.rig.probe.body
        if reading.gain_K is not None and reading.lag_s is not None:
            made = ResponseModel(name=name, gain_K=round(abs(reading.gain_K), 3), lag_s=round(reading.lag_s, 2),
                                 dead_time_s=round(reading.dead_time_s, 2))  # fmt: skip
        else:
            rise = abs(reading.rise_K_per_s or 0.0)
            made = ResponseModel(name=name, kind="integrating", rise_K_per_s=float(f"{rise:.4g}"),
                                 dead_time_s=round(reading.dead_time_s, 2))  # fmt: skip
        self._document.apply(rig_edit.to_response(self._project, made), tell("response model in place of bodies"))
        self._select(name, False)

    def _need_bodies(self) -> None:
        if not self.whole:
            raise EditError(
                say("This rig is a response model; it has no bodies and links to add to. Undo brings them back.")
            )
