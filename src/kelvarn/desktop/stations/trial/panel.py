"""The right column of Trial: the trial with its plan, an event, or a guard or permit, whichever is selected."""

from collections.abc import Callable, Hashable
from functools import partial
from typing import Any, NamedTuple

from PySide6.QtCore import QPoint, Qt, Signal
from PySide6.QtWidgets import QMenu, QPushButton

from kelvarn.desktop import theme
from kelvarn.desktop.fields.any import field_for
from kelvarn.desktop.fields.binding import Binding
from kelvarn.desktop.fields.notes import NotesField
from kelvarn.desktop.fields.number import NumberEdit, NumberField
from kelvarn.desktop.fields.plain import ChoiceField, CutLink, NameEdit, SwitchField, heading, link, small
from kelvarn.desktop.language import tell
from kelvarn.desktop.parts.panel import Note, Panel
from kelvarn.desktop.parts.plain import menu_text, plain_tip
from kelvarn.desktop.state.document import Document
from kelvarn.desktop.state.view import View
from kelvarn.desktop.stations.remarks import Flag
from kelvarn.desktop.stations.station import Context
from kelvarn.model import trial_edit
from kelvarn.model.bank import MARK_SETS
from kelvarn.model.edit import Path, value_at, with_fields
from kelvarn.model.events import EVENT_KINDS
from kelvarn.model.fields import ModelBase
from kelvarn.model.guards import DAYS
from kelvarn.model.trial import week_said
from kelvarn.model.trial_edit import rule_path
from kelvarn.model.trial_words import plan_text
from kelvarn.sentence import joined

from .actions import TrialActions
from .days_field import DayPartRow, DaysField


class Selected(NamedTuple):
    """What the panel shows: the trial itself, an event or a guard or permit by name."""

    what: str = "trial"
    name: str = ""


class TrialPanel(Panel):
    """The panel.

    Signals:
        selection: something else is to be shown.
    """

    selection = Signal(object)

    def __init__(self, context: Context, work: TrialActions, time_words: Callable[[], str] = str) -> None:
        super().__init__(theme.RIGHT_WIDTH - 40)
        self._document, self._view, self._guarded = context.document, context.view, context.guarded
        self._remarks, self._work, self._time_words = context.remarks, work, time_words
        self.selected = Selected()
        self.add_event = QPushButton()

    def subject(self) -> Hashable:
        project = self._document.project
        trial, plan = self._view.trial(project), self._view.trial(project).plan
        self._keep_to_what_there_is()
        part: Any = None
        if self.selected.what == "event":
            event = next(each for each in trial.events if each.name == self.selected.name)
            part = (event.shown(), event.kind, tuple(each.name for each in project.trials))
        elif self.selected.what == "rule":
            path = rule_path(project, self.selected.name)
            assert path is not None
            rule = value_at(project, path)
            part = (rule.kind, rule.shown())
        return (
            self.selected, self._work.place, trial.name, part, len(plan.changes), len(plan.week),
            tuple(each.name for each in plan.setpoints), tuple((e.name, e.kind) for e in trial.events),
            tuple(change.named for change in plan.changes), tuple(each.named for each in plan.week),
            project.rig.body_names, project.rig.names_for("probe"), project.rig.names_for("drive"),
            bool(plan.week or project.rig.permits), self._view.scale,
        )  # fmt: skip

    def _keep_to_what_there_is(self) -> None:
        """What has gone is no longer selected."""
        project = self._document.project
        events = [event.name for event in self._view.trial(project).events]
        gone = (self.selected.what == "event" and self.selected.name not in events) or (
            self.selected.what == "rule" and rule_path(project, self.selected.name) is None
        )
        if gone:
            self.selected = Selected()

    def select(self, selected: Selected) -> None:
        """Show something else."""
        if selected != self.selected:
            self.selected = selected
            self.refresh()

    def refresh_if_seen(self) -> None:
        """Show the present state, unless the station is out of sight."""
        if self.isVisible():
            self.refresh()

    def fill(self) -> None:
        if self.selected.what == "event":
            self._fill_event()
        elif self.selected.what == "rule":
            self._fill_rule()
        else:
            self._fill_trial()

    def _bind(self, path: Path, field: str, title: str | None = None) -> Binding:
        return Binding(self._document, self._view, (*path, field), title)

    def _link(self, text: str, work: Callable[[], object], tip: str = "", space: int = 0) -> QPushButton:
        made = CutLink(text, tip)
        made.clicked.connect(lambda: self._guarded(work)())
        self.add(made, space)
        return made

    def _number(self, path: Path, field: str, title: str | None = None) -> None:
        self.add(NumberField(self._bind(path, field, title)))
        self.add(Flag(self._remarks, (*path, field)))

    # The trial and its plan

    def _fill_trial(self) -> None:
        project, place = self._document.project, self._work.place
        trial, path = project.trials[place], ("trials", place)
        name = NameEdit(tell("Name of the trial"), lambda: trial.name, lambda new: self._work.rename(trial.name, new))
        name.setProperty("plain", True)
        self.add(name)
        self.add(Note(lambda: plan_text(self._view.trial(self._document.project), self._view.scale)))
        self.add(Note(self._time_words))
        for field in ("duration_s", "start_degC", "band_K"):
            self._number(path, field)
        self.add(heading(tell("Plan")), 6)
        self._fill_changes((*path, "plan"))
        self._fill_week((*path, "plan"))
        self._fill_named((*path, "plan"))
        self._number((*path, "plan"), "lowest_degC")
        self._number((*path, "plan"), "highest_degC")
        self.add(heading(tell("Events")), 6)
        for event in trial.events:
            self._link(
                event.text(self._view.scale),
                partial(self.selection.emit, Selected("event", event.name)),
                tell("Show “{event}”", event=event.name),
            )
        self.add_event = self._link(tell("+ event …"), self._open_events, tell("Let something happen"))
        self.add(small(tell("Marks: add a set of")), 6)
        for each in MARK_SETS:
            self._link(tell(each.name), partial(self._work.add_marks, each.name), tell(each.text))
        self._link(tell("the same marks on all trials"), self._work.marks_to_all, tell("Marks that are about no event"))
        self.add(NotesField(self._bind(path, "notes")), 4)

    def _fill_changes(self, plan: Path) -> None:
        found = value_at(self._document.project, plan)
        names = [each.name for each in found.setpoints]
        for k, change in enumerate(found.changes):
            where = (*plan, "changes", k)
            if len(found.changes) > 1:
                self._titled(tell("Setpoint {k}", k=k + 1), partial(self._work.plan, trial_edit.remove_change, k))
            if names:
                self.add(self._named_choice(where, names))
            if change.named is None:
                self._number(where, "to_degC")
            if k:
                self._number(where, "at_s", tell("From (waits if told to)"))
            self._number(where, "ramp_K_per_s")
            self.add(SwitchField(self._bind(where, "waits", tell("then wait until it is reached"))))
        self._link(
            tell("+ setpoint"),
            partial(self._work.plan, trial_edit.add_change),
            tell("Add a setpoint change after the last one"),
        )
        self._number(plan, "again_s")

    def _named_choice(self, where: Path, names: list[str]) -> ChoiceField:
        """Which named setpoint it is."""
        choices: list[tuple[Any, str]] = [(None, tell("its own")), *((name, name) for name in names)]

        def take(name: Any) -> None:
            self._guarded(lambda: self._work.take_named(where, name))()

        return ChoiceField(self._bind(where, "named"), choices, take)

    def _fill_week(self, plan: Path) -> None:
        found = value_at(self._document.project, plan)
        names = [each.name for each in found.setpoints]
        if found.week or self._document.project.rig.permits:
            begins: list[tuple[Any, str]] = [(day, day) for day in DAYS]
            self.add(ChoiceField(self._bind(plan[:2], "begins_day"), begins), 6)
            self._number(plan[:2], "begins_at_s")
        if found.week:
            self.add(small(tell("Parts of the day: from, to, setpoint, days")), 4)
        for k, part in enumerate(found.week):
            where = (*plan, "week", k)
            fields = ("from_s", "to_s") if part.named is not None else ("from_s", "to_s", "to_degC")
            edits = [NumberEdit(self._bind(where, field)) for field in fields]
            for edit in edits:
                edit.setAccessibleName(tell("Part of the day {k}: {field}", k=k + 1, field=edit.accessibleName()))
            named = self._named_choice(where, names).alone() if names else None
            cross = link(
                "✕", self._guarded(partial(self._work.remove_part, k)), tell("Remove: part of the day {k}", k=k + 1)
            )
            self.add(DayPartRow(edits, named, DaysField(self._bind(where, "days")), cross))
        if found.week:
            self.add(Note(lambda: _said_of_week(self._plan()), "gold"))
        self._link(
            tell("+ part of the day"),
            partial(self._work.plan, trial_edit.add_day_part),
            tell("A setpoint by times of day"),
        )

    def _plan(self) -> Any:
        return self._view.trial(self._document.project).plan

    def _fill_named(self, plan: Path) -> None:
        for k, each in enumerate(value_at(self._document.project, plan).setpoints):
            self._titled(tell("Named setpoint"), partial(self._work.plan, trial_edit.remove_named, k))
            title = tell("Name of the setpoint")
            self.add(NameEdit(title, partial(str, each.name), partial(self._rename_named, k)))
            where = (*plan, "setpoints", k, "to_degC")
            self.add(NumberField(_OfAName(self._document, self._view, where, partial(self._set_named, k))))
        self._link(
            tell("+ named setpoint"),
            partial(self._work.plan, trial_edit.add_named),
            tell("A setpoint that operations ask for"),
        )

    def _set_named(self, index: int, degC: float) -> None:
        self._work.plan(trial_edit.set_named, index, with_fields(self._plan().setpoints[index], to_degC=degC))

    def _rename_named(self, index: int, name: str) -> None:
        self._work.plan(trial_edit.set_named, index, with_fields(self._plan().setpoints[index], name=name))

    def _titled(self, title: str, remove: Callable[[], object]) -> None:
        """A small heading, and a link that removes what follows."""
        label = small(title, "ink", bold=True)
        self.add(label, 5)
        self._link(tell("remove"), remove, tell("Remove: {title}", title=title))

    # Events

    def _open_events(self) -> None:
        self.event_menu().popup(self.add_event.mapToGlobal(QPoint(0, self.add_event.height())))

    def event_menu(self) -> QMenu:
        """Kinds of events that can be added."""
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        for kind, of_kind in EVENT_KINDS.items():
            lacking = of_kind.missing(self._document.project.rig)
            action = menu.addAction(menu_text(of_kind.what), partial(self._add_event, kind))
            action.setEnabled(not lacking)
            action.setToolTip(plain_tip(lacking))
        return menu

    def _add_event(self, kind: str) -> None:
        def add() -> None:
            self.selection.emit(Selected("event", self._work.add_event(kind)))

        self._guarded(add)()

    def _fill_event(self) -> None:
        project, place = self._document.project, self._work.place
        events = project.trials[place].events
        index = [event.name for event in events].index(self.selected.name)
        event, path = events[index], ("trials", place, "events", index)
        self._back()
        self.add(
            small(tell("{kind}; event {index} of {events}", kind=type(event).what, index=index + 1, events=len(events)))
        )
        self._name("event", event.name, self._work.rename_event)
        self._fields(path, event, ("at_s", "lasts_s", "again_s", *event.shown(), "why"))
        self._link(
            tell("remove"),
            partial(self._work.remove_event, event.name),
            tell("Remove event {name}", name=event.name),
            6,
        )
        for other in project.trials:
            if other.name != project.trials[place].name:
                copy = partial(self._work.copy_event, event.name, other.name)
                self._link(
                    tell("copy to “{other}”", other=other.name),
                    copy,
                    tell("Let it happen in “{other}” too", other=other.name),
                )

    def _fields(self, path: Path, part: ModelBase, names: tuple[str, ...]) -> None:
        for name in names:
            if name in ("days",):
                self.add(DaysField(self._bind(path, name)))
            else:
                self.add(field_for(self._bind(path, name), self._document.project.rig))
                self.add(Flag(self._remarks, (*path, name)))

    def _name(self, what: str, name: str, rename: Callable[[str, str], None]) -> None:
        """The name of what is selected; what it is renamed to stays selected."""

        def take(new: str) -> None:
            before, self.selected = self.selected, Selected(self.selected.what, new)
            try:
                rename(name, new)
            except Exception:
                self.selected = before
                raise

        edit = NameEdit(tell("Name of the {what}", what=what), lambda: name, take)
        edit.setProperty("plain", True)
        self.add(edit)

    def _back(self) -> None:
        self._link(tell("‹ the trial"), partial(self.selection.emit, Selected()), tell("Show the trial and its plan"))

    # Guards and permits

    def _fill_rule(self) -> None:
        project = self._document.project
        path = rule_path(project, self.selected.name)
        assert path is not None
        rule = value_at(project, path)
        self._back()
        self.add(small(joined(": ", (type(rule).what, _first_line(rule)))))
        self._name(tell("guard or permit"), rule.name, self._work.rename_rule)
        self._fields(path, rule, (*rule.shown(), "why"))
        self._link(tell("remove"), partial(self._work.remove_rule, rule.name), tell("Remove {rule}", rule=rule.name), 6)


class _OfAName(Binding):
    """The temperature of a named setpoint, which whatever carries the name follows."""

    def __init__(self, document: Document, view: View, path: Path, follow: Callable[[float], object]) -> None:
        super().__init__(document, view, path)
        self._follow = follow

    def put(self, value: Any, *, dragged: bool = False) -> None:
        del dragged
        if value != self.value:
            self._follow(value)


def _first_line(rule: ModelBase) -> str:
    """What a guard is, from its own description."""
    text = (type(rule).__doc__ or "").split("\n")[0]
    return text[:1].lower() + text[1:].rstrip(".")


def _said_of_week(plan: Any) -> str:
    """The first of what is said of a plan's day parts, and how many more there are."""
    said = week_said(plan)
    more = tell(" … and {number} more", number=len(said) - 2) if len(said) > 2 else ""
    return " ".join(said[:2]) + more
