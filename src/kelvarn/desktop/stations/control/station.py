"""Puts the Control station together."""

from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QHBoxLayout, QInputDialog, QMenu, QPushButton, QSplitter, QVBoxLayout, QWidget

from kelvarn.desktop import theme
from kelvarn.desktop.lanes.button import LanesButton
from kelvarn.desktop.lanes.choice import chosen_lanes
from kelvarn.desktop.lanes.edits import Drags
from kelvarn.desktop.lanes.scene import CandidateEntry, entries, scene_of
from kelvarn.desktop.language import tell
from kelvarn.desktop.parts.elided import ElidedLine
from kelvarn.desktop.parts.menus import Command
from kelvarn.desktop.parts.panel import Columns
from kelvarn.desktop.parts.texts import MOST_OF_A_NAME
from kelvarn.desktop.stations.station import Context, Phrase, Place, Station
from kelvarn.desktop.strip.strip import Strip
from kelvarn.model.candidate import STRATEGIES
from kelvarn.model.edit import EditError
from kelvarn.sentence import figures, joined, say
from kelvarn.studies.alternatives import Alternative
from kelvarn.studies.results import Result
from kelvarn.units import Quantity, UnitError, counted, parse, shortened, show
from kelvarn.words.what_if import at_reading
from kelvarn.words.why import why

from .actions import CandidateActions
from .cards import Cards
from .charts import Charts
from .folding import Folding
from .lists import Lists
from .mark_edits import MarkEdits
from .marks import MarksFoot
from .overlays import Overlays
from .reserve import ReserveWords
from .settings import Settings
from .terms import Terms
from .why_panel import WhyPanel

if TYPE_CHECKING:
    from .curve_picture import CurvePicture


class ControlStation(Station):
    """Candidates, strip, settings, marks."""

    title, keys = say("Control"), "Ctrl+3"

    def __init__(self, context: Context) -> None:
        super().__init__(context)
        self._document, self._view, self._runner = context.document, context.view, context.runner
        self._drags = Drags(self._document, self._view)
        self._curve_wanted: bool | None = None
        self.candidate_actions = CandidateActions(self._document, self._view)
        self.cards = Cards(self.candidate_actions)
        self.cards.selected.connect(self._view.select)
        self.cards.menu_wanted.connect(self._show_menu)
        self.terms = Terms()
        self.strip = Strip(self._document)
        self.strip.setAccessibleName(tell("Strip: temperature, drive and events over time"))
        self.strip.cursor_moved.connect(self._view.move_cursor)
        self.strip.pin_changed.connect(self._pin)
        self.strip.resized.connect(self._show_lanes)
        self.lanes = LanesButton(self._document, self.strip)
        self.why_line = ElidedLine("body", indent=50)
        self.why_line.setAccessibleName(tell("Why: the controller's decision at the cursor"))
        self.why_button = QPushButton(tell("why so?"))
        self.why_button.setProperty("link", True)
        self.why_button.setToolTip(tell("What the overshoot, swing or delay is made of, by runs (Ctrl+I)"))
        self.why_button.clicked.connect(self.toggle_why)
        self.why_panel = WhyPanel(self._runner.jobs)
        self.why_panel.hide()
        self.why_panel.closed.connect(self.toggle_why)
        self.why_panel.show_wanted.connect(self._lay_over)
        self.why_panel.taken.connect(lambda found: context.guarded(partial(self.candidate_actions.take, found))())
        self.overlays = Overlays(self._runner.jobs)
        self.overlays.changed.connect(self._show_lanes)
        for changed in (self._document.changed, self._view.changed):
            changed.connect(self.overlays.clear)  # they are of a state that is no more
        self.charts = Charts(context, self._drags, context.guarded(self._toggle_ringing))
        self.reserve = ReserveWords(self._runner.jobs)
        self.lists = Lists(context, self.candidate_actions, self)
        self.settings = Settings(context, self.candidate_actions, self.reserve)
        context.remarks.updated.connect(self.settings.refresh)
        self.reserve.updated.connect(self.settings.refresh)
        self.marks = MarksFoot()
        self._mark_edits = MarkEdits(context, self)
        self.marks.edit_wanted.connect(self._mark_edits.edit)
        self.marks.add_wanted.connect(self._mark_edits.add)
        left = QWidget()
        column = QVBoxLayout(left)
        column.setContentsMargins(0, 0, 8, 0)
        column.setSpacing(12)
        column.addWidget(self.cards)
        column.addWidget(self.terms)
        column.addStretch(1)
        self.beside = Folding(self._make_curve)
        charts = QSplitter(Qt.Orientation.Horizontal)
        charts.setHandleWidth(theme.GAP)
        charts.addWidget(self.strip)
        charts.addWidget(self.beside)
        charts.setStretchFactor(0, 3)
        charts.setStretchFactor(1, 2)
        charts.setCollapsible(0, False)
        middle = QWidget()
        column = QVBoxLayout(middle)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        column.addWidget(charts, 1)
        line = QHBoxLayout()
        line.addWidget(self.why_line, 1)
        line.addWidget(self.why_button)
        column.addLayout(line)
        column.addWidget(self.why_panel)
        self._under = QVBoxLayout()  # a list of what was tried
        column.addLayout(self._under)
        self.settings.list_opened.connect(self._show_list)
        self._document.replaced.connect(self._close_list)
        right = QWidget()
        column = QVBoxLayout(right)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addWidget(self.settings, 1)
        column.addWidget(self.charts)
        self.columns = Columns(left, middle, right)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, theme.GAP, 0, 0)
        layout.setSpacing(6)
        layout.addWidget(self.columns, 1)
        layout.addWidget(self.marks)

    @property
    def chart(self) -> Strip:
        return self.strip

    def commands(self) -> list[Command]:
        do, menu = self.candidate_actions, say("&Candidate")
        add = [
            Command(menu, say("Add {strategy}", strategy=strategy), "", self.shown(partial(do.add, strategy)))
            for strategy in STRATEGIES
        ]
        return [
            *add,
            Command(menu, say("Start from a tuning rule…"), "", self.shown(self.settings.ask_start)),
            Command(menu, say("Find the simplest that meets the marks"), "", self.shown(self.settings.ask_simplest)),
            Command(
                menu,
                say("Find the simplest that meets the marks of all trials"),
                "",
                self.shown(self.settings.ask_simplest_of_all),
            ),
            Command(
                menu,
                say("Find the simplest that meets the marks on rigs that differ"),
                "",
                self.shown(self.settings.ask_simplest_of_variants),
            ),
            Command(menu, say("Why so, and what would help?"), "Ctrl+I", self.shown(self.toggle_why)),
            Command(menu, say("What would it do at a reading…"), "", self.shown(self._ask_reading)),
            Command(menu, say("Gain map"), "Ctrl+G", self.shown(self.charts.toggle_map)),
            Command(menu, say("Loop gain and sensitivity"), "", self.shown(self.charts.toggle_loop)),
            Command(menu, say("Turn the gain up until it oscillates"), "", self.shown(self._toggle_ringing)),
            Command(menu, say("What differs between two…"), "Ctrl+M", self.shown(self.lists.compare_two)),
            Command(menu, say("Keep this run"), "Ctrl+R", self.shown(self.lists.keep_run)),
            Command(menu, say("Kept runs…"), "", self.shown(self.lists.show_kept)),
            Command(menu, say("Take candidates from a project…"), "", self.shown(self.lists.ask_take_from)),
            Command(menu, say("Remarks"), "F8", self.shown(self.lists.show_remarks)),
            Command(menu, say("Curve picture"), "Ctrl+E", self.shown(self._toggle_curve)),
            Command(menu),
            *self._of_candidate(),
            Command(menu),
            Command(menu, say("Next candidate"), "Ctrl+Down", partial(self._step_candidate, 1)),
            Command(menu, say("Previous candidate"), "Ctrl+Up", partial(self._step_candidate, -1)),
        ]

    def _of_candidate(self) -> list[Command]:
        """What can be done with the selected candidate, also by its card's menu."""
        do, menu = self.candidate_actions, say("&Candidate")
        return [
            Command(menu, say("Choose for the device"), "Ctrl+Return", self.shown(do.choose)),
            Command(menu, say("Rename"), "F2", self.shown(self._rename)),
            Command(menu, say("Duplicate"), "Ctrl+D", self.shown(do.duplicate)),
            Command(menu, say("Hide or show"), "Ctrl+H", self.shown(do.toggle_hidden)),
            Command(menu, say("Delete"), "Ctrl+Delete", self.in_sight(do.delete)),
        ]

    def places(self) -> list[Place]:
        candidates = self._document.project.candidates
        return [
            (
                tell("{candidate}: candidate, {strategy}", candidate=each.name, strategy=each.strategy),
                partial(self._view.select, each.name),
            )
            for each in candidates
        ]

    def phrase(self) -> Phrase:
        runner, project = self._runner, self._document.project
        if runner.preparing:
            return Phrase(tell("preparing, first start only"), "begin")
        if runner.busy:
            return Phrase(tell("computing, {percent} %", percent=figures(f"{100 * runner.share:.0f}", "")), "begin")
        if runner.faults:
            return Phrase(tell("{number} cannot be computed", number=len(runner.faults)), "look")
        result = self._spoken_of()
        if result is None:
            return Phrase(counted(len(project.candidates), "candidate"), "begin")
        return Phrase(self.marks_met(), "fine" if result.met == len(result.verdicts) else "look")

    def _spoken_of(self) -> Result | None:
        """The result of the chosen candidate, else of the selected one; None without marks, or while it is unknown."""
        project = self._document.project
        result = self._runner.result_of(project.chosen or self._view.candidate(project).name)
        return result if result is not None and result.verdicts else None

    def marks_met(self) -> str:
        """How many marks the chosen candidate meets, else the selected one; "" where that is not known."""
        result = self._spoken_of()
        return "" if result is None else tell("{met} of {marks} marks met", met=result.met, marks=len(result.verdicts))

    def request(self) -> None:
        if not self._runner.preparing:
            project = self._document.project
            candidate, trial = self._view.candidate(project), self._view.trial(project)
            self.reserve.request(project.rig, candidate.controller, trial, self._view.scale)
            self.charts.request()
            if self.why_panel.isVisible():
                self.why_panel.ask(project, candidate, trial, self._view.scale)

    def refresh(self) -> None:
        project = self._document.project
        trial, selected = self._view.trial(project), self._view.candidate(project)
        shown = entries(self._document, self._runner)
        self.cards.show_entries(shown, selected.name, self._view.scale, self._runner.faults)
        self._show_lanes(shown)
        self.settings.refresh()
        self.charts.refresh()
        result = self._runner.result_of(selected.name)
        caption = tell("for “{selected}” on “{trial}”", selected=selected.name, trial=trial.name)
        self.marks.show_marks(trial.marks, result, self._view.scale, caption)
        self.show_cursor()

    def _show_lanes(self, shown: list[CandidateEntry] | None = None) -> None:
        project = self._document.project
        trial, selected = self._view.trial(project), self._view.candidate(project)
        found = shown if shown is not None else entries(self._document, self._runner)
        scene = scene_of(project, trial, self._view.scale, found, selected.name, self._drags, self.overlays.shown)
        self.strip.show_lanes(chosen_lanes(scene, self.strip.height()))
        law = selected.controller
        if self.beside.unfold(law.has_steps if self._curve_wanted is None else self._curve_wanted):
            self.curve.show_scene(scene)
            self.curve.show_cursor(self._view.cursor_s)

    def _toggle_ringing(self) -> None:
        project = self._document.project
        law = self._view.candidate(project).controller
        self.overlays.toggle_ringing(project.rig, law, self._view.trial(project), len(project.candidates))

    def _show_list(self, shown: QWidget) -> None:
        """Show a list under the strip, in place of one that is there, or of the reasons."""
        self._close_list()
        if self.why_panel.isVisible():
            self.toggle_why()
        self._under.addWidget(shown)
        shown.show()
        shown.setFocus()

    def _close_list(self) -> None:
        while (item := self._under.takeAt(0)) is not None:
            before = item.widget()
            if before is not None:
                before.close()

    def toggle_why(self) -> None:
        """Fold out or in what the run is made of."""
        wanted = not self.why_panel.isVisible()
        self.why_panel.setVisible(wanted)
        if wanted:
            self.request()
        else:
            self.why_panel.stop()
            self.overlays.clear()

    def _lay_over(self, found: Alternative, words: str) -> None:
        project = self._document.project
        self.overlays.toggle_alternative(found, words, self._view.trial(project), len(project.candidates))

    @property
    def curve(self) -> "CurvePicture":
        """The curve picture."""
        made: CurvePicture = self.beside.made()
        return made

    def _make_curve(self) -> QWidget:
        from .curve_picture import CurvePicture

        return CurvePicture(self._document, self._drags)

    def _toggle_curve(self) -> None:
        """Fold the curve picture out or in; until then it is there where a curve is selected."""
        self._curve_wanted = not self.beside.isVisible()
        self._show_lanes()

    def new_look(self) -> None:
        self._show_lanes()
        self.charts.new_look()

    def show_cursor(self) -> None:
        self.strip.set_cursor(self._view.cursor_s, self._view.pinned)
        if self.beside.isVisible():
            self.curve.show_cursor(self._view.cursor_s)
        selected = self._view.candidate(self._document.project)
        result = self._runner.result_of(selected.name)
        self.terms.show_at(None if result is None else result.run, self._view.scale, self._view.cursor_s)
        if self._runner.preparing:
            self.why_line.say(tell("preparing, first start only …"), "muted")
        elif selected.name in self._runner.faults:
            self.why_line.say(self._runner.faults[selected.name], "ember")
        elif self._runner.busy:
            self.why_line.say(tell("computing …"), "muted")
        elif result is not None:
            reason = why(result.run, result.run.sample_at(self._view.cursor_s), self._view.scale)
            self.why_line.say(joined(": ", (shortened(selected.name, MOST_OF_A_NAME), reason)), "ink")

    def _ask_reading(self) -> None:
        """Ask for a reading, and say what the law would do there, as it stands at the cursor."""
        selected, scale = self._view.candidate(self._document.project), self._view.scale
        result = self._runner.result_of(selected.name)
        if result is None:
            raise EditError(
                say("“{selected}” has not been run yet; wait until it is, or see why it cannot be.",
                    selected=selected.name)
            )  # fmt: skip
        index = result.run.sample_at(self._view.cursor_s)
        before = show(float(result.run.measured_degC[index]), Quantity.TEMPERATURE, scale)
        title = tell("What would {selected} do at", selected=shortened(selected.name, MOST_OF_A_NAME))
        text, wanted = QInputDialog.getText(self, "Kelvarn", title, text=before)
        if wanted:
            try:
                degC = parse(text, Quantity.TEMPERATURE, scale)
            except UnitError as error:
                raise EditError(str(error)) from error
            said = at_reading(result.run, index, degC, scale)
            self.why_line.say(joined(": ", (shortened(selected.name, MOST_OF_A_NAME), said)), "glacier")

    def _show_menu(self, at: QPoint) -> None:
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        for command in self._of_candidate():
            assert command.run is not None
            menu.addAction(command.name, command.run)
        menu.popup(at)

    def _rename(self) -> None:
        self.cards.card(self.candidate_actions.selected.name).start_rename()

    def _step_candidate(self, step: int) -> None:
        project = self._document.project
        index = (self._view.candidate_index(project) + step) % len(project.candidates)
        self._view.select(project.candidates[index].name)

    def _pin(self, pinned: bool) -> None:
        self._view.pinned = pinned
        self.show_cursor()
