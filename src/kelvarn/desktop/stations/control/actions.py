"""What can be done with candidates: the same for buttons, menus and keys."""

from collections.abc import Callable

from pydantic import ValidationError

from kelvarn.desktop.language import tell
from kelvarn.desktop.parts.boxes import first_sentence
from kelvarn.desktop.state.document import Document
from kelvarn.desktop.state.view import View
from kelvarn.model.candidate import STRATEGIES, Candidate
from kelvarn.model.curve import Curve
from kelvarn.model.edit import (
    EditError,
    add_candidate,
    put,
    remove_candidate,
    rename_candidate,
    with_fields,
)
from kelvarn.model.law import Near
from kelvarn.model.names import MOST_CHARACTERS
from kelvarn.model.on_off import NOTATIONS, Notation, OnOff
from kelvarn.model.pid import Pid
from kelvarn.sentence import joined, say
from kelvarn.studies.alternatives import Alternative
from kelvarn.studies.reasons import holding


class CandidateActions:
    """Acts on the selected candidate, or on one by name."""

    def __init__(self, document: Document, view: View) -> None:
        self.document, self.view = document, view

    @property
    def selected(self) -> Candidate:
        """The selected candidate."""
        return self.view.candidate(self.document.project)

    @property
    def near(self) -> Near:
        """What new laws are laid round."""
        project = self.document.project
        return Near(self.view.trial(project).plan.last_degC, project.rig.way)

    def add(self, strategy: str) -> None:
        """Add a candidate with the starting settings of a strategy, and select it."""
        controller = STRATEGIES[strategy].begins_as(strategy, self.near)
        self._add(Candidate(name=strategy, controller=controller), tell("add {strategy}", strategy=strategy))

    def add_candidate(self, candidate: Candidate) -> None:
        """Add a candidate as it is, and select it."""
        self._add(candidate, tell("add {candidate}", candidate=candidate.name))

    def take(self, alternative: Alternative) -> None:
        """Have an alternative to the selected candidate's run: its law as a candidate, or its rig in place of this."""
        if alternative.of_rig:
            self.document.set(("rig",), alternative.rig, alternative.words)
        else:
            name = f"{self.selected.name}: {alternative.words}"[:MOST_CHARACTERS]
            self.add_candidate(Candidate(name=name, controller=alternative.law))

    def feed_forward(self) -> None:
        """Give the selected law the drive that holds the setpoint, from the rig. Raises EditError where none does."""
        project = self.document.project
        trial, law = self.view.trial(project), self.selected.controller
        found = holding(project.rig, trial)
        if not isinstance(law, Pid):
            return
        if found is None:
            raise EditError(
                say("The rig does not tell: nothing holds this setpoint, or it is where the rig rests anyway.")
            )
        per_K, rest_degC = found
        made = with_fields(law, feed_per_K=float(f"{per_K:.3g}"), feed_from_degC=round(rest_degC, 1))
        path = ("candidates", self.view.candidate_index(project), "controller")
        self.document.set(path, made, tell("{selected}: feed-forward", selected=self.selected.name))

    def duplicate(self) -> None:
        """Add a copy of the selected candidate, and select it."""
        self._add(self.selected, tell("duplicate {selected}", selected=self.selected.name))

    def _add(self, candidate: Candidate, name: str) -> None:
        project, added = add_candidate(self.document.project, candidate)
        self.document.apply(project, name)
        self.view.select(added)

    def delete(self) -> None:
        """Delete the selected candidate. Raises EditError for the last one."""
        project = self.document.project
        index = self.view.candidate_index(project)
        changed = remove_candidate(project, self.selected.name)
        name = tell("delete {selected}", selected=self.selected.name)
        left = changed.candidates[min(index, len(changed.candidates) - 1)].name
        self.document.apply(changed, name)
        self.view.select(left)

    def choose(self) -> None:
        """Make the selected candidate the one that goes to the device."""
        project = self.document.project
        self.document.apply(
            with_fields(project, chosen=self.selected.name), tell("choose {selected}", selected=self.selected.name)
        )

    def toggle_hidden(self, name: str | None = None) -> None:
        """Take a candidate off the strip, or put it back."""
        project = self.document.project
        index = [c.name for c in project.candidates].index(name or self.selected.name)
        found = project.candidates[index]
        verb = "show" if found.hidden else "hide"
        self.document.apply(put(project, ("candidates", index, "hidden"), not found.hidden), f"{verb} {found.name}")

    def rename(self, old: str, new: str) -> None:
        """Rename a candidate. Raises ValidationError for a name that is empty or taken."""
        project = self.document.project
        names = [c.name for c in project.candidates]
        if old not in names:
            return  # it has gone while its name was typed
        index = names.index(old)
        changed = rename_candidate(project, old, new)
        self.document.apply(changed, tell("rename {old}", old=old))
        self.view.select(changed.candidates[index].name)

    def set_strategy(self, strategy: str) -> None:
        """Let the selected candidate control in another way; P, PI and PID share their settings."""
        project = self.document.project
        index = self.view.candidate_index(project)
        controller = project.candidates[index].controller
        same_law = strategy in controller.strategies
        wanted = controller.as_strategy(strategy) if same_law else STRATEGIES[strategy].begins_as(strategy, self.near)
        changed = put(project, ("candidates", index, "controller"), wanted)
        self.document.apply(changed, joined(": ", (project.candidates[index].name, strategy)))

    def add_step(self) -> None:
        """Add a step to the selected candidate's curve."""
        self._change_curve(lambda law: law.with_step_added(), tell("add a step"))

    def remove_step(self, index: int) -> None:
        """Remove a step from it."""
        self._change_curve(lambda law: law.with_step_removed(index), tell("remove step {index}", index=index + 1))

    def _change_curve(self, change: Callable[[Curve], Curve], name: str) -> None:
        project = self.document.project
        index = self.view.candidate_index(project)
        law = project.candidates[index].controller
        if isinstance(law, Curve):
            self.document.apply(put(project, ("candidates", index, "controller"), change(law)), name)

    def set_notation(self, notation: Notation) -> None:
        """Write the selected on/off law in another notation; it stays the same law.

        Raises:
            EditError: it cannot be written so.
        """
        project = self.document.project
        index = self.view.candidate_index(project)
        law = project.candidates[index].controller
        if not isinstance(law, OnOff) or law.notation == notation:
            return
        try:
            changed = put(project, ("candidates", index, "controller"), law.written_as(notation, self.near))
        except ValueError as error:
            said = first_sentence(error, self.view.scale) if isinstance(error, ValidationError) else str(error)
            raise EditError(said) from error
        self.document.apply(changed, joined(": ", (project.candidates[index].name, NOTATIONS[notation])))
