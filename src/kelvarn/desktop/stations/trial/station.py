"""Puts the Trial station together."""

from collections.abc import Callable
from dataclasses import replace
from functools import partial

from PySide6.QtCore import QPoint, Qt, QTimer
from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import (
    QHBoxLayout,
    QMenu,
    QVBoxLayout,
    QWidget,
)

from kelvarn.desktop import theme
from kelvarn.desktop.fields.plain import link
from kelvarn.desktop.lanes.button import LanesButton
from kelvarn.desktop.lanes.edits import Drags
from kelvarn.desktop.lanes.scene import CandidateEntry, Scene, entries, scene_of
from kelvarn.desktop.lanes.trial import trial_lanes
from kelvarn.desktop.language import tell
from kelvarn.desktop.parts.elided import ElidedLine
from kelvarn.desktop.parts.menus import Command
from kelvarn.desktop.parts.panel import AsTall, Columns
from kelvarn.desktop.parts.texts import MOST_OF_A_NAME
from kelvarn.desktop.stations.station import Context, Phrase, Place, Station
from kelvarn.desktop.strip.strip import Strip
from kelvarn.model.bank import BANK, MARK_SETS
from kelvarn.model.candidate import Candidate
from kelvarn.model.guards import GUARD_KINDS, PERMIT_KINDS
from kelvarn.model.names import MOST_CHARACTERS
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Trial
from kelvarn.sentence import joined, say
from kelvarn.studies.all_trials import Met
from kelvarn.studies.failures import acting, action_words
from kelvarn.units import counted, shortened
from kelvarn.words.why import why

from . import tables
from .actions import TrialActions
from .cards import TrialCards
from .failure_view import FailureView
from .finding import places
from .foot import TABS, Content, Foot, OverFoot
from .panel import Selected, TrialPanel
from .reports import ask_report
from .safety_list import SafetyList
from .studies import TrialStudies
from .variants_panel import VariantsPanel

_SIDE, _TRIALS, _FAILS = TABS
_LEAST_PANEL = 200  # px of the trial's own fields
_PAUSE_MS = 350


class TrialStation(Station):
    """Trials, strip, guards, tables."""

    title, keys = say("Trial"), "Ctrl+4"

    def __init__(self, context: Context) -> None:
        super().__init__(context)
        self._document, self._view, self._runner = context.document, context.view, context.runner
        self._drags = Drags(self._document, self._view)
        self.work = TrialActions(self._document, self._view)
        self.studies = TrialStudies(self._runner.jobs)
        self.studies.updated.connect(self._studied)
        self.failure = FailureView(self._runner.jobs)
        self.failure.changed.connect(self._failure_changed)
        self.failure.failed.connect(lambda sentence: self.why_line.say(sentence, "ember"))
        self._share: dict[str, float] = {}
        self._shares_of: tuple[Rig, Trial] | None = None
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(_PAUSE_MS)
        self._later.timeout.connect(self._ask_studies)
        self._make_left()
        self._make_middle()
        self._make_right()
        self.foot = Foot()
        self.foot.tab_changed.connect(self._tab_changed)
        self.foot.row_clicked.connect(self._row_clicked)
        self.foot.guard_wanted.connect(context.guarded(self._take_offer))
        self.foot.action_wanted.connect(context.guarded(self._take_action))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, theme.GAP, 0, 0)
        layout.setSpacing(6)
        self.parts = OverFoot(Columns(self._left, self._middle, self._right), self.foot)
        layout.addWidget(self.parts, 1)

    def _make_left(self) -> None:
        guarded = self.context.guarded
        self.cards = TrialCards()
        self.cards.selected.connect(self._view.select_trial)
        self.cards.add_wanted.connect(guarded(self.work.copy))
        self.cards.bank_wanted.connect(lambda name: guarded(lambda: self.work.from_bank(name))())
        self.cards.menu_wanted.connect(self._show_menu)
        self.safety = SafetyList()
        self.safety.chosen.connect(lambda name: self._select(Selected("rule", name)))
        self.safety.add_wanted.connect(lambda kind: guarded(lambda: self.add_rule(kind))())
        self._left = QWidget()
        column = QVBoxLayout(self._left)
        column.setContentsMargins(0, 0, 8, 0)
        column.setSpacing(12)
        column.addWidget(self.cards)
        column.addWidget(self.safety)
        column.addStretch(1)

    def _make_middle(self) -> None:
        self.strip = Strip(self._document)
        self.strip.setAccessibleName(tell("Strip: plan and response, guards and events over time"))
        self.strip.cursor_moved.connect(self._view.move_cursor)
        self.strip.pin_changed.connect(self._pin)
        self.strip.resized.connect(self._show_lanes)
        self.lanes = LanesButton(self._document, self.strip)
        self.why_line = ElidedLine("body", indent=50)
        self.why_line.setAccessibleName(tell("Why: the controller's decision at the cursor"))
        self.back = link(
            tell("‹ back to the trial"), self.failure.leave, tell("Show the trial again instead of the failure")
        )
        self.keep = link(
            tell("add as a trial"), self.context.guarded(self._keep_failure), tell("Add this failure as a trial")
        )
        self._middle = QWidget()
        column = QVBoxLayout(self._middle)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        column.addWidget(self.strip, 1)
        row = QHBoxLayout()
        for widget, stretch in ((self.why_line, 1), (self.keep, 0), (self.back, 0)):
            row.addWidget(widget, stretch)
        column.addLayout(row)

    def _make_right(self) -> None:
        self.panel = TrialPanel(self.context, self.work, self.studies.time_words)
        self.studies.cooled.connect(self.panel.refresh_if_seen)
        self.panel.selection.connect(self._select)
        self.context.remarks.updated.connect(self.panel.refresh_if_seen)
        self.variants = VariantsPanel(self._runner.jobs)
        self.variants.updated.connect(self._variants_changed)
        self.variants.open_wanted.connect(
            lambda rig, words: self.context.guarded(lambda: self.work.take_rig(rig, words))()
        )
        self._right = QWidget()
        column = QVBoxLayout(self._right)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        self.panel.setMinimumHeight(_LEAST_PANEL)
        column.addWidget(self.panel, 1)
        column.addWidget(AsTall(self.variants))

    @property
    def chart(self) -> Strip:
        return self.strip

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.strip.setFocus()

    def commands(self) -> list[Command]:
        menu, safe = say("&Trial"), say("&Guards")
        report = partial(ask_report, self, self.context, self.foot.said.say)
        return [
            *[Command(menu, say("From the bank: {name}", name=e.name), "",
                      self.shown(partial(self.work.from_bank, e.name))) for e in BANK],
            Command(menu, say("All trials of the bank"), "", self.shown(partial(self.work.from_bank, ""))),
            Command(menu),
            *[Command(menu, say("Add marks: {name}", name=e.name), "", self.shown(partial(self.work.add_marks, e.name)))
              for e in MARK_SETS],
            Command(menu),
            Command(menu, say("Next trial"), "Ctrl+PgDown", partial(self.work.step, 1)),
            Command(menu, say("Previous trial"), "Ctrl+PgUp", partial(self.work.step, -1)),
            Command(menu, say("Copy the trial"), "", self.shown(self.work.copy)),
            Command(menu, say("Delete the trial"), "", self.in_sight(self.work.delete)),
            Command(menu, say("Move the trial up"), "Ctrl+Shift+PgUp", self.shown(partial(self.work.move, -1))),
            Command(menu, say("Move the trial down"), "Ctrl+Shift+PgDown", self.shown(partial(self.work.move, 1))),
            Command(menu, say("Side by side"), "", self.shown(partial(self.foot.show_tab, _SIDE))),
            Command(menu, say("Candidates on all trials"), "", self.shown(partial(self.foot.show_tab, _TRIALS))),
            Command(menu, say("If it fails"), "Ctrl+Shift+L", self.shown(partial(self.foot.show_tab, _FAILS))),
            Command(menu, say("Try variants, or stop"), "Ctrl+Shift+Y", self.shown(self.variants.toggle)),
            Command(menu, say("Report…"), "Ctrl+Shift+R", self.context.guarded(report)),
            Command(menu, say("Copy the table"), "", self.shown(partial(self.foot.copy_as, "text"))),
            *[Command(safe, say("Add guard: {what}", what=e.what), "", self.shown(partial(self.add_rule, name)))
              for name, e in GUARD_KINDS.items()],
            *[Command(safe, say("Add permit: {what}", what=e.what), "", self.shown(partial(self.add_rule, name)))
              for name, e in PERMIT_KINDS.items()],
        ]  # fmt: skip

    def _show_menu(self, at: QPoint) -> None:
        do, menu = self.work, QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        works: dict[str, Callable[[], object]] = {
            "Copy": do.copy, "Move up": partial(do.move, -1), "Move down": partial(do.move, 1), "Delete": do.delete,
        }  # fmt: skip
        for text, work in works.items():
            menu.addAction(text, self.context.guarded(work))
        menu.popup(at)

    def add_rule(self, kind: str) -> None:
        """Add a guard or permit of a kind, and show it."""
        self._select(Selected("rule", self.work.add_rule(kind)))

    def _take_offer(self) -> None:
        offer = self.studies.offer
        if offer is not None:
            self.failure.leave()
            self._select(Selected("rule", self.work.add_rule(offer.guard.kind, offer.guard)))  # type: ignore[attr-defined]

    def _take_action(self) -> None:
        """Have the action at a probe fault that does least harm."""
        action, trial = self.studies.action, self._subject[1]
        if action is not None:
            rig = acting(self._document.project.rig, action, trial)
            self.work.take_rig(rig, tell("at a probe fault: {action}", action=action_words(action)))

    def show_event(self, name: str) -> None:
        """Show the plan, or an event of it."""
        self._select(Selected("event", name) if name else Selected())

    def _select(self, selected: Selected) -> None:
        self.panel.select(selected)
        self.refresh()

    # Showing

    def places(self) -> list[Place]:
        return places(self._document.project, self._view, self._select)

    def phrase(self) -> Phrase:
        project, table = self._document.project, self.studies.table
        if table is not None and self.studies.table_fits(project, self._subject):
            return tables.failures_phrase(table)
        guards = counted(len(project.rig.guards), "guard") if project.rig.guards else say("no guards")
        trials = counted(len(project.trials), "trial")
        return Phrase(tell(joined(", ", (trials, guards))), "fine" if project.rig.guards else "begin")

    @property
    def _subject(self) -> tuple[Candidate, Trial]:
        project = self._document.project
        return self._view.candidate(project), self._view.trial(project)

    def request(self) -> None:
        if not self._runner.preparing and self.isVisible():
            self._later.start()

    def _ask_studies(self) -> None:
        project = self._document.project
        candidate, trial = self._subject
        self.studies.ask_met(project)
        self.studies.ask_cold(self._runner.result_of(candidate.name))
        if self.foot.tab == _FAILS:
            self.studies.ask_table(project, candidate, trial)

    def _tab_changed(self) -> None:
        if self.foot.tab != _FAILS:
            self.failure.forget()
        self._ask_studies()
        self.refresh()

    def _studied(self) -> None:
        self._show_foot()
        self._show_cards()
        self.stands_elsewhere.emit()

    def refresh(self) -> None:
        project = self._document.project
        candidate, trial = self._subject
        if not self.studies.table_fits(project, self._subject):
            self.failure.forget()
        if self._shares_of != (project.rig, trial):
            self._shares_of, self._share = (project.rig, trial), {}
        self.variants.show_subject(project.rig, candidate, trial, self._view.scale)
        self._show_cards()
        self.safety.show_rules(
            project.rig, self.panel.selected.name if self.panel.selected.what == "rule" else "", self._view.scale
        )
        self.panel.refresh()
        self._show_lanes()
        self._show_foot()
        self.show_cursor()

    def _show_cards(self) -> None:
        project = self._document.project
        candidate, trial = self._subject
        met = {name: found for (who, name), found in self.studies.met.items()
               if who == candidate.name and isinstance(found, Met)}  # fmt: skip
        result = self._runner.result_of(candidate.name)
        if result is not None:
            met[trial.name] = Met(result.met, len(result.verdicts))
        self.cards.show_trials(project, trial.name, met)

    def _scene(self) -> Scene:
        """The trial with the candidates, or the failure that was clicked."""
        project = self._document.project
        candidate, trial = self._subject
        if self.failure.outcome is not None and self.failure.result is not None:
            place = project.candidates.index(candidate)
            entry = CandidateEntry(candidate, self.failure.result, place, candidate.name == project.chosen, stale=False)
            return Scene(project, self.failure.outcome.trial, self._view.scale, (entry,), entry, safety=True)
        found = entries(self._document, self._runner)
        scene = scene_of(project, trial, self._view.scale, found, candidate.name, self._drags)
        ribbon = self.variants.ribbon(project.candidates.index(candidate))
        return replace(scene, safety=True, ribbon=ribbon)

    def _show_lanes(self) -> None:
        self.strip.show_lanes(trial_lanes(self._scene(), self.strip.height()))

    def _show_foot(self) -> None:
        project, scale = self._document.project, self._view.scale
        candidate, trial = self._subject
        if self.foot.tab == _SIDE:
            content = tables.side_by_side(
                trial, entries(self._document, self._runner), candidate.name, self._share, scale
            )
            self.foot.show_content(content, tell("on “{trial}”; ✕ misses its mark, · is the best", trial=trial.name))
        elif self.foot.tab == _TRIALS:
            content = tables.all_trials(project, self.studies.met, candidate.name)
            self.foot.show_content(content, tell("marks met by each candidate on each trial"))
        else:
            self._show_failures()

    def _show_failures(self) -> None:
        candidate, trial = self._subject
        table = self.studies.table
        if table is None or not self.studies.table_fits(self._document.project, self._subject):
            said = self.studies.fault or tell("trying every single failure …")
            self.foot.show_content(
                Content((), ()),
                tell("“{candidate}” on “{trial}”: {verdict}", candidate=candidate.name, trial=trial.name, verdict=said),
            )
            return
        marked = self.failure.outcome.failure.text if self.failure.outcome is not None else ""
        offers = tables.failure_offers(table, self.studies.offer, self.studies.action, self._view.scale)
        self.foot.show_content(tables.failures(table, marked, self._view.scale), *offers)

    def _variants_changed(self) -> None:
        found = self.variants.found
        name = self._view.candidate(self._document.project).name
        if found is None or found.count == 0:
            self._share.pop(name, None)
        elif not self.variants.busy:
            self._share[name] = found.share_of_all
        self._show_lanes()
        self._show_foot()

    # A failure on the strip

    def _row_clicked(self, row: int) -> None:
        project, table = self._document.project, self.studies.table
        if self.foot.tab != _FAILS:
            if row < len(project.candidates):
                self._view.select(project.candidates[row].name)
        elif table is not None and row < len(table.rows):
            self.failure.show_outcome(self._view.candidate(project), table.rows[row].worst)

    def _failure_changed(self) -> None:
        outcome = self.failure.outcome
        if outcome is not None:
            self._view.move_cursor(outcome.at_s + 0.3 * (outcome.trial.duration_s - outcome.at_s))
        else:
            self._view.move_cursor(min(self._view.cursor_s, self._subject[1].duration_s))
        self.refresh()

    def _keep_failure(self) -> None:
        outcome = self.failure.outcome
        if outcome is not None:
            self.failure.leave()
            self.work.take_trial(outcome.trial.model_copy(update={"name": outcome.failure.text[:MOST_CHARACTERS]}))

    # The cursor

    def show_cursor(self) -> None:
        for button in (self.back, self.keep):
            button.setVisible(self.failure.outcome is not None)
        self.strip.set_cursor(self._view.cursor_s, self._view.pinned)
        selected = self._view.candidate(self._document.project)
        result = self.failure.result or self._runner.result_of(selected.name)
        if self._runner.preparing:
            self.why_line.say(tell("preparing, first start only …"), "muted")
        elif selected.name in self._runner.faults:
            self.why_line.say(self._runner.faults[selected.name], "ember")
        elif result is not None:
            reason = why(result.run, result.run.sample_at(self._view.cursor_s), self._view.scale)
            outcome = self.failure.outcome
            what = (
                tell("if {failure}, {moment}: ", failure=outcome.failure.text, moment=outcome.moment)
                if outcome is not None
                else ""
            )
            self.why_line.say(joined("", (what, shortened(selected.name, MOST_OF_A_NAME), ": ", reason)), "ink")

    def _pin(self, pinned: bool) -> None:
        self._view.pinned = pinned
        self.show_cursor()

    def finish(self) -> None:
        self._later.stop()
