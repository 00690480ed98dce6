"""Settings of the selected candidate, and of the trial it runs on. Which fields there are stands with the kinds."""

from collections.abc import Callable, Hashable
from functools import partial

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QButtonGroup, QFrame, QGridLayout, QHBoxLayout, QPushButton, QWidget

from kelvarn.desktop import theme
from kelvarn.desktop.fields.any import field_for
from kelvarn.desktop.fields.binding import Binding
from kelvarn.desktop.fields.notes import NotesField
from kelvarn.desktop.fields.number import NumberField
from kelvarn.desktop.fields.plain import Choice, ChoiceField, CutLink, NameEdit, heading
from kelvarn.desktop.fields.ruler import RulerField
from kelvarn.desktop.language import tell
from kelvarn.desktop.parts.panel import Note, Panel
from kelvarn.desktop.stations.remarks import Flag
from kelvarn.desktop.stations.station import Context
from kelvarn.model.candidate import STRATEGIES
from kelvarn.model.edit import Path
from kelvarn.model.on_off import NOTATIONS, Notation
from kelvarn.model.pid import Pid
from kelvarn.model.project import Project
from kelvarn.model.trial import Trial
from kelvarn.units import Quantity, Scale, show

from .actions import CandidateActions
from .advice import SIMPLEST_COLUMNS, START_COLUMNS, simplest, starting_points
from .forms_field import FormsField
from .reserve import ReserveWords
from .result_list import Column, ListContent, ResultList
from .steps_field import StepsField

_USUAL = ("On/off", "P", "PI", "PID")  # strategies of the first row of buttons
_VARIANTS = 128
_WIDTH = 12  # of a row, in columns


class Settings(Panel):
    """The right column of Control.

    Signals:
        list_opened: a list of what was tried, to be shown.
        trial_wanted: the trial is to be shown at its station, with an event of it by name, where there is one.
    """

    list_opened = Signal(object)
    trial_wanted = Signal(str)

    def __init__(self, context: Context, actions: CandidateActions, reserve: ReserveWords) -> None:
        super().__init__(theme.RIGHT_WIDTH - 40)
        self._document, self._view, self._guarded = context.document, context.view, context.guarded
        self._actions, self._jobs, self._reserve = actions, context.runner.jobs, reserve
        self._remarks = context.remarks
        self._more = False
        self._form = "standard"
        self.forms: FormsField | None = None
        self.start_from = QPushButton()
        self.ask = QPushButton()
        self.opened: ResultList | None = None
        self.steps: StepsField | None = None
        self.trial_box = Choice()

    def subject(self) -> Hashable:
        project = self._document.project
        candidate, trial = self._view.candidate(project), self._view.trial(project)
        return (
            self._view.candidate_index(project),
            candidate.name,
            candidate.strategy,
            candidate.controller.rulers + candidate.controller.more,
            candidate.controller.step_count,
            self._more,
            bool(candidate.notes),
            tuple(each.name for each in project.trials),
            trial.name,
            len(trial.plan.changes),
            tuple(event.text(self._view.scale) for event in trial.events),
            self._view.scale,
        )

    def fill(self) -> None:
        project = self._document.project
        index = self._view.candidate_index(project)
        candidate = project.candidates[index]
        path: Path = ("candidates", index, "controller")
        name = NameEdit(
            tell("Name of the candidate"), lambda: candidate.name, lambda new: self._actions.rename(candidate.name, new)
        )
        name.setProperty("plain", True)
        self.add(name)
        self.add(_Strategies(self._actions, candidate.strategy))
        controller = candidate.controller
        if "notation" in controller.choices:
            self.add(self._notation(path), 6)
        if controller.step_count:
            self.steps = StepsField(self._actions, (*path, "steps"))
            self.add(self.steps, 6)
            for k in range(controller.step_count):
                for field in ("drive", "back_off_K"):
                    self._flag((*path, "steps", k, field))
        for k, field in enumerate(controller.rulers):
            binding = self._bind(path, field)
            self.add(RulerField(binding) if "ruler" in binding.extra else NumberField(binding), 6 if k == 0 else 0)
            self._flag((*path, field))
        self.add(Note(self._edges_text))
        self.add(self._fold(controller.more_words))
        self.add(Note(lambda: self._reserve.text))
        self.start_from = QPushButton(tell("start from …"))
        self.start_from.setProperty("link", True)
        self.start_from.setToolTip(tell("Every tuning rule's settings for this rig, and how each does on this trial"))
        self.start_from.clicked.connect(self.ask_start)
        self.add(self.start_from)
        self.ask = QPushButton(tell("simplest that meets the marks …"))
        self.ask.setProperty("link", True)
        self.ask.setToolTip(tell("Every strategy at its best for the marks of this trial, by runs"))
        self.ask.clicked.connect(self.ask_simplest)
        self.add(self.ask)
        if self._more:
            for field in controller.more:
                self.add(field_for(self._bind(path, field, controller.empty_words(field)), project.rig))
                self._flag((*path, field))
        if self._more and isinstance(controller, Pid):
            ahead = QPushButton(tell("feed-forward from the rig"))
            ahead.setToolTip(tell("Give it the drive that holds the setpoint, as the rig says"))
            ahead.setProperty("link", True)
            ahead.clicked.connect(lambda: self._guarded(self._actions.feed_forward)())
            self.add(ahead)
            self.add(Note(lambda: tell("In the form of another device, to be read and typed:")), 6)
            read, take = partial(self._law_read, index, candidate.name), partial(self._take_law, index)
            self.forms = FormsField(self._form, read, take, self._keep_form)
            self.add(self.forms)
        if self._more or candidate.notes:
            self.add(NotesField(self._bind(("candidates", index), "notes")), 4)
        self._fill_trial()

    def _flag(self, path: Path) -> None:
        self.add(Flag(self._remarks, path))

    def _law_read(self, index: int, name: str) -> tuple[Pid, float, Scale] | None:
        """The law of a candidate, how often it is read, and the scale; None where it is another one by now."""
        project = self._document.project
        found = project.candidates[index] if index < len(project.candidates) else None
        if found is None or found.name != name or not isinstance(found.controller, Pid):
            return None
        return found.controller, project.rig.probe.interval_s, self._view.scale

    def _take_law(self, index: int, law: Pid, name: str) -> None:
        self._document.set(("candidates", index, "controller"), law, name)

    def _keep_form(self, form: str) -> None:
        self._form = form

    def _bind(self, path: Path, field: str, empty: str | None = None) -> Binding:
        binding = Binding(self._document, self._view, (*path, field))
        if empty is not None:
            binding.extra["empty"] = empty
        return binding

    def _notation(self, path: Path) -> ChoiceField:
        """How the edges are written; another notation is the same law."""
        choices = [(word, said) for word, said in NOTATIONS.items()]

        def put(word: Notation) -> None:
            self._guarded(lambda: self._actions.set_notation(word))()

        return ChoiceField(self._bind(path, "notation"), list(choices), put)

    def _edges_text(self) -> str:
        """The edges in degrees, where the settings say something else."""
        project = self._document.project
        law = self._view.candidate(project).controller
        edges = law.edges_worked_out(self._view.trial(project).plan.last_degC, project.rig.way)
        if edges is None:
            return ""
        on, off = (show(degC, Quantity.TEMPERATURE, self._view.scale) for degC in edges)
        return tell("on at {on}, off at {off}", on=on, off=off)

    def _fold(self, more: str) -> QPushButton:
        button = QPushButton(tell("– fewer settings") if self._more else tell("+ more: {more}, notes", more=more))
        button.setProperty("link", True)
        button.clicked.connect(self._toggle_more)
        return button

    def ask_start(self) -> None:
        """Open the list of starting points."""
        self._open_list(tell("Start from"), START_COLUMNS, starting_points)

    def ask_simplest(self) -> None:
        """Open the list of strategies at their best."""
        self._ask_simplest(self._view.trial(self._document.project))

    def ask_simplest_of_all(self) -> None:
        """Open it for the marks of all trials."""
        self._ask_simplest(*self._document.project.trials)

    def ask_simplest_of_variants(self) -> None:
        """Open it for rigs that differ, too."""
        self._ask_simplest(self._view.trial(self._document.project), variants=_VARIANTS)

    def _ask_simplest(self, *trials: Trial, variants: int = 0) -> None:
        title = tell("Find the simplest that meets the marks")
        self._open_list(title, SIMPLEST_COLUMNS, lambda project, _, scale: simplest(project, trials, scale, variants))

    def _open_list(
        self, title: str, columns: tuple[Column, ...], work: Callable[[Project, Trial, Scale], ListContent]
    ) -> None:
        project, scale = self._document.project, self._view.scale
        trial = self._view.trial(project)
        self.opened = ResultList(
            title, columns, "advice", lambda: work(project, trial, scale), self._jobs, self._actions.add_candidate
        )
        self.list_opened.emit(self.opened)

    def _toggle_more(self) -> None:
        self._more = not self._more
        self.refresh()

    def _fill_trial(self) -> None:
        project = self._document.project
        place = self._view.trial_index(project)
        trial = project.trials[place]
        path: Path = ("trials", place)
        self.add(_rule(), 8)
        self.add(self._trial_head())
        last = len(trial.plan.changes) - 1
        for k in range(len(trial.plan.changes)):
            title = tell("Setpoint") if last == 0 else tell("Setpoint {k}", k=k + 1)
            where: Path = (*path, "plan", "changes", k, "to_degC")
            self.add(NumberField(Binding(self._document, self._view, where, title)))
        for field in ("duration_s", "start_degC", "band_K"):
            self.add(NumberField(self._bind(path, field)))
        for event in trial.events:
            self._to_trial(event.text(self._view.scale), event.name, tell("Show “{event}” at Trial", event=event.name))
        self._to_trial(
            tell("plan and events at Trial …"), "", tell("Its name, its plan, what happens in it, its notes")
        )

    def _to_trial(self, text: str, event: str, tip: str) -> None:
        link = CutLink(text, tip)
        link.clicked.connect(lambda: self.trial_wanted.emit(event))
        self.add(link)

    def _trial_head(self) -> QWidget:
        """The heading, and which trial is shown where there are several."""
        row = QWidget()
        layout = QHBoxLayout(row)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(heading(tell("Trial")))
        trials = self._document.project.trials
        self.trial_box = Choice()
        self.trial_box.setAccessibleName(tell("Trial shown"))
        self.trial_box.setMinimumWidth(40)
        for trial in trials:
            self.trial_box.addItem(trial.name, trial.name)
        self.trial_box.setCurrentIndex(self._view.trial_index(self._document.project))
        self.trial_box.activated.connect(lambda _: self._view.select_trial(self.trial_box.currentData()))
        layout.addWidget(self.trial_box, 1)
        return row


class _Strategies(QWidget):
    """A button for each strategy, in rows."""

    def __init__(self, actions: CandidateActions, strategy: str) -> None:
        super().__init__()
        layout = QGridLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        group = QButtonGroup(self)
        rows = [[name for name in STRATEGIES if (name in _USUAL) == first] for first in (True, False)]
        for row, k, name in ((row, k, name) for row, names in enumerate(rows) for k, name in enumerate(names)):
            button = QPushButton(tell(name))
            button.setCheckable(True)
            button.setProperty("chip", True)
            button.setChecked(name.lower() == strategy.lower())
            button.clicked.connect(lambda _=False, n=name: actions.set_strategy(n))
            group.addButton(button)
            width = _WIDTH // len(rows[row])
            layout.addWidget(button, row, k * width, 1, width)


def _rule() -> QFrame:
    line = QFrame()
    line.setFrameShape(QFrame.Shape.NoFrame)
    line.setFixedHeight(1)
    line.setProperty("rule", True)
    return line
