"""What can be done with trials, plans, events, guards and permits; every one is a step of undo."""

from collections.abc import Callable
from typing import Concatenate, ParamSpec

from kelvarn.desktop.language import tell
from kelvarn.desktop.state.document import Document
from kelvarn.desktop.state.view import View
from kelvarn.model import trial_edit
from kelvarn.model.edit import add_event, add_trial, put, remove, remove_event, remove_trial, rename_event
from kelvarn.model.guards import RuleBase
from kelvarn.model.project import Project
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Trial

P = ParamSpec("P")


class TrialActions:
    """Acts on the trial shown, and on the rig's guards and permits."""

    def __init__(self, document: Document, view: View) -> None:
        self.document, self.view = document, view

    @property
    def shown(self) -> Trial:
        """The trial shown."""
        return self.view.trial(self.document.project)

    def copy(self) -> None:
        """Add a copy of the trial, and show it."""
        project, added = add_trial(self.document.project, self.shown.name)
        self.document.apply(project, tell("copy trial {shown}", shown=self.shown.name))
        self.view.select_trial(added)

    def delete(self) -> None:
        """Delete the trial. Raises EditError for the last one."""
        gone = self.shown.name
        self.document.apply(remove_trial(self.document.project, gone), tell("delete trial {gone}", gone=gone))

    def rename(self, old: str, new: str) -> None:
        """Rename a trial. Raises ValidationError for a name that is empty or taken."""
        names = [trial.name for trial in self.document.project.trials]
        if old not in names:
            return  # it has gone while its name was typed
        index = names.index(old)
        changed = put(self.document.project, ("trials", index, "name"), new)
        self.view.select_trial(changed.trials[index].name)
        self.document.apply(changed, tell("rename trial {old}", old=old))

    @property
    def place(self) -> int:
        """Where the trial shown stands."""
        return self.view.trial_index(self.document.project)

    def step(self, by: int) -> None:
        """Show the next trial, or the one before."""
        project = self.document.project
        self.view.select_trial(project.trials[(self.place + by) % len(project.trials)].name)

    def from_bank(self, wanted: str) -> None:
        """Add a trial of the bank, and show it; "" adds all of them."""
        if not wanted:
            changed = trial_edit.add_whole_bank(self.document.project, self.shown.name)
            self.document.apply(changed, tell("add the bank's trials"))
            return
        project, name = trial_edit.add_from_bank(self.document.project, self.shown.name, wanted)
        self.document.apply(project, tell("add trial {name}", name=name))
        self.view.select_trial(name)

    def move(self, by: int) -> None:
        """Move the trial shown in the list."""
        name = self.shown.name
        self.document.apply(
            trial_edit.move_trial(self.document.project, name, by), tell("move trial {name}", name=name)
        )

    def add_marks(self, wanted: str) -> None:
        """Add a set of marks."""
        self.document.apply(
            trial_edit.add_mark_set(self.document.project, self.place, wanted), tell("marks: {wanted}", wanted=wanted)
        )

    def marks_to_all(self) -> None:
        """Ask of every trial what is asked of the one shown."""
        self.document.apply(
            trial_edit.marks_to_all(self.document.project, self.place), tell("the same marks on all trials")
        )

    def add_event(self, kind: str) -> str:
        """Add an event of a kind; its name."""
        changed = add_event(self.document.project, self.place, kind)
        name = changed.trials[self.place].events[-1].name
        self.document.apply(changed, tell("add event {name}", name=name))
        return name

    def rename_event(self, old: str, new: str) -> None:
        """Rename an event."""
        if old in [event.name for event in self.shown.events]:
            self.document.apply(
                rename_event(self.document.project, self.place, old, new), tell("rename {old}", old=old)
            )

    def remove_event(self, name: str) -> None:
        """Remove an event."""
        names = [event.name for event in self.shown.events]
        if name in names:
            changed = remove_event(self.document.project, self.place, names.index(name))
            self.document.apply(changed, tell("remove {name}", name=name))

    def copy_event(self, name: str, to: str) -> None:
        """Copy an event to another trial."""
        index = [event.name for event in self.shown.events].index(name)
        changed = trial_edit.copy_event(self.document.project, self.place, index, to)
        self.document.apply(changed, tell("copy {name} to {to}", name=name, to=to))

    def plan(self, edit: Callable[Concatenate[Project, int, P], Project], *given: P.args, **fields: P.kwargs) -> None:
        """An edit of the plan by a function of `trial_edit`, which is given the project and the trial's place."""
        changed = edit(self.document.project, self.place, *given, **fields)
        self.document.apply(changed, edit.__name__.replace("_", " "))

    def remove_part(self, index: int) -> None:
        """Remove a part of the day."""
        path = ("trials", self.place, "plan", "week")
        self.document.apply(remove(self.document.project, path, index), tell("remove a day part"))

    def take_named(self, path: tuple[str | int, ...], name: str | None) -> None:
        """Let a change or a day part go to a named setpoint."""
        self.document.apply(trial_edit.take_named(self.document.project, path, name), tell("named setpoint"))

    def add_rule(self, kind: str, made: RuleBase | None = None) -> str:
        """Add a guard or permit; its name."""
        changed, name = trial_edit.add_rule(self.document.project, kind, made)
        self.document.apply(changed, tell("add {name}", name=name))
        return name

    def rename_rule(self, old: str, new: str) -> None:
        """Rename a guard or permit."""
        if trial_edit.rule_path(self.document.project, old) is not None:
            self.document.apply(trial_edit.rename_rule(self.document.project, old, new), tell("rename {old}", old=old))

    def remove_rule(self, name: str) -> None:
        """Remove a guard or permit."""
        self.document.apply(trial_edit.remove_rule(self.document.project, name), tell("remove {name}", name=name))

    def take_rig(self, rig: Rig, words: str) -> None:
        """Have another rig in place of this one."""
        self.document.apply(put(self.document.project, ("rig",), rig), words)

    def take_trial(self, trial: Trial) -> None:
        """Add a trial under its name or the next free one, and show it."""
        project, name = trial_edit.add_trial_as(self.document.project, trial)
        self.document.apply(project, tell("add trial {name}", name=name))
        self.view.select_trial(name)
