"""Puts the Rig station together."""

from functools import partial

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtGui import QFontMetrics
from PySide6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QSplitter, QVBoxLayout, QWidget

from kelvarn.desktop import theme
from kelvarn.desktop.fields.plain import Choice, heading
from kelvarn.desktop.lanes.drive import drive_lane
from kelvarn.desktop.lanes.events import events_lane
from kelvarn.desktop.lanes.scene import entries, scene_of
from kelvarn.desktop.lanes.step import step_lanes
from kelvarn.desktop.lanes.temperature import bodies_lane
from kelvarn.desktop.language import tell
from kelvarn.desktop.parts.elided import ElidedLine
from kelvarn.desktop.parts.menus import Command
from kelvarn.desktop.parts.plain import menu_text, plain_tip
from kelvarn.desktop.stations.station import Context, Phrase, Place, Station
from kelvarn.desktop.strip.axis import clock
from kelvarn.desktop.strip.lane import Shown
from kelvarn.desktop.strip.strip import Strip
from kelvarn.engine.run import Run
from kelvarn.engine.steady import oddities
from kelvarn.engine.step import usual_drive
from kelvarn.model.drives import DRIVE_KINDS
from kelvarn.sentence import figures, say, say_counted
from kelvarn.units import Quantity, show
from kelvarn.words.reading import reading_text, warm_text

from .actions import RigActions
from .foot import RigFoot
from .guessed import GuessedList
from .heat_path import HeatPath
from .keys import key_of
from .panel import RigPanel
from .parts import PartsBar
from .play import Play
from .steps import Steps, Wanted

_DRIVES = (0.1, 0.2, 0.3, 0.4, 0.5, 0.6, 0.7, 0.8, 0.9, 1.0)


class RigStation(Station):
    """Heat path, open-loop step or trial below, fields."""

    title, keys = say("Rig"), "Ctrl+1"

    def __init__(self, context: Context) -> None:
        super().__init__(context)
        self._document, self._view, self._runner = context.document, context.view, context.runner
        guarded = context.guarded
        document, view, runner = self._document, self._view, self._runner
        self.edits = RigActions(document, self._select_new)
        self.panel = RigPanel(document, view, self.edits, guarded, context.remarks)
        self.guessed = GuessedList(runner.jobs, self.select)
        context.remarks.updated.connect(self._remarked)
        self.heat_path = HeatPath(self.select, guarded(self.edits.remove))
        self.parts = PartsBar(self.edits, guarded)
        self.steps = Steps(runner.jobs)
        self.steps.updated.connect(self._step_known)
        self.strip = Strip()
        self.strip.setAccessibleName(tell("Strip: temperatures of the bodies and drive over time"))
        self.strip.setMinimumHeight(165)
        self.strip.cursor_moved.connect(self._move_cursor)
        self.strip.pin_changed.connect(self._pin)
        self.play = Play(self._play_to)
        self._step_shown = True
        self._step_drive: float | None = None
        self._step_cursor_s = self._step_last_s = 0.0
        self._caption = ElidedLine("small", "muted")
        self.goal = QPushButton()
        self.goal.setProperty("link", True)
        self.goal.setToolTip(tell("What must be kept where, and why: a click shows its fields"))
        self.goal.clicked.connect(guarded(self.edits.set_goal))
        self.reading = ElidedLine("small", bold=True, indent=50)
        self.reading.setAccessibleName(tell("Open-loop step, read as one lag and a dead time"))
        self.warm_reading = ElidedLine("small", "muted", indent=50)
        self.foot = RigFoot()
        self._lay_out()

    def _lay_out(self) -> None:
        head = QHBoxLayout()
        head.setContentsMargins(6, 0, 0, 0)
        head.setSpacing(14)
        head.addWidget(heading(tell("Heat path")))
        head.addWidget(self._caption, 1)
        frame = QFrame()
        frame.setProperty("card", True)
        inner = QVBoxLayout(frame)
        inner.setContentsMargins(1, 1, 1, 1)
        inner.setSpacing(0)
        inner.addWidget(self.heat_path, 1)
        inner.addWidget(self.parts)
        top = QWidget()
        column = QVBoxLayout(top)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.goal, 0, Qt.AlignmentFlag.AlignLeft)
        column.addLayout(head)
        column.addWidget(frame, 1)
        below = QWidget()
        column = QVBoxLayout(below)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(self._switches())
        column.addWidget(self.strip, 1)
        column.addWidget(self.reading)
        column.addWidget(self.warm_reading)
        middle = QSplitter(Qt.Orientation.Vertical)
        middle.addWidget(top)
        middle.addWidget(below)
        middle.setSizes([310, 340])
        middle.setCollapsible(0, False)
        both = QSplitter(Qt.Orientation.Horizontal)
        both.setHandleWidth(theme.GAP)
        both.addWidget(middle)
        right = QWidget()
        beside = QVBoxLayout(right)
        beside.setContentsMargins(0, 0, 0, 0)
        beside.addWidget(self.guessed)
        beside.addWidget(self.panel, 1)
        both.addWidget(right)
        both.setSizes([950, theme.RIGHT_WIDTH])
        both.setStretchFactor(0, 1)
        both.setStretchFactor(1, 0)
        both.setCollapsible(0, False)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, theme.GAP, 0, 0)
        layout.setSpacing(6)
        inset = QVBoxLayout()
        inset.setContentsMargins(theme.GAP, 0, 0, 0)
        inset.addWidget(both)
        layout.addLayout(inset, 1)
        layout.addWidget(self.foot)

    def _switches(self) -> QHBoxLayout:
        """What the strip shows, the drive of the step, and play."""
        row = QHBoxLayout()
        row.setContentsMargins(50, 2, 6, 2)
        row.setSpacing(10)
        self.step_button, self.trial_button = QPushButton(tell("Open-loop step")), QPushButton(tell("Trial"))
        for button, shown in ((self.step_button, True), (self.trial_button, False)):
            button.setCheckable(True)
            button.setProperty("chip", True)
            button.setFixedWidth(QFontMetrics(theme.font(bold=True)).horizontalAdvance(button.text()) + 28)
            button.clicked.connect(lambda _=False, shown=shown: self.show_step(shown))
            row.addWidget(button)
        self.drive_box = Choice()
        self.drive_box.setAccessibleName(tell("Drive of the open-loop step"))
        self.drive_box.setToolTip(tell("What the drive is set to by hand, from cold and from warm"))
        for share in _DRIVES:
            self.drive_box.addItem(tell("to {share} drive", share=figures(f"{100 * share:.0f}", "%")), share)
        self.drive_box.activated.connect(lambda _: self.set_step_drive(self.drive_box.currentData()))
        row.addWidget(self.drive_box)
        row.addStretch(1)
        self.play_button = QPushButton(tell("play"))
        self.play_button.setProperty("link", True)
        self.play_button.setToolTip(tell("Let the cursor run through (Ctrl+Space)"))
        self.play_button.clicked.connect(self.toggle_play)
        self.play.changed.connect(lambda: self.play_button.setText(tell("stop" if self.play.running else "play")))
        row.addWidget(self.play_button)
        return row

    @property
    def chart(self) -> Strip:
        return self.strip

    def commands(self) -> list[Command]:
        do, menu = self.edits, say("&Rig")
        drives = [
            Command(menu, say("Add a drive: {kind}", kind=of_kind.what), "", self.shown(partial(do.add_drive, kind)))
            for kind, of_kind in DRIVE_KINDS.items()
        ]
        return [
            Command(menu, say("Add a body"), "Ctrl+B", self.shown(do.add_body)),
            Command(menu, say("Add heat loss"), "Ctrl+L", self.shown(do.add_loss)),
            Command(menu, say("Add a fan-driven link"), "", self.shown(do.add_fan_link)),
            Command(menu, say("Add a draw-off"), "", self.shown(do.add_draw_off)),
            Command(menu, say("Add a probe"), "", self.shown(do.add_probe)),
            *drives,
            Command(menu, say("What must be kept (goal)"), "", self.shown(do.set_goal)),
            Command(menu, say("Remove the part"), "", self.in_sight(do.remove)),
            Command(menu),
            Command(menu, say("Known only by its answer (response model)"), "", self.shown(self._to_response)),
            Command(menu, say("Play the cursor, or stop"), "Ctrl+Space", self.shown(self.toggle_play)),
        ]

    def _to_response(self) -> None:
        self.edits.use_response(self.steps.cold.reading if self.steps.cold is not None else None)

    def phrase(self) -> Phrase:
        rig = self._document.project.rig
        heating = sum(d.power_W for d in rig.drives if d.heated_body is not None)
        power = show(heating or rig.drive.power_W, Quantity.POWER)
        what = say_counted("{count} body", "{count} bodies", len(rig.all_bodies))
        if rig.response is not None:
            what = say("response model")
        if self.steps.busy and self.isVisible():
            return Phrase(tell("{what}, {power}; step under way", what=what, power=power), "begin")
        return Phrase(tell("{what}, {power}", what=what, power=power), "look" if oddities(rig) else "fine")

    def places(self) -> list[Place]:
        rig = self._document.project.rig
        kinds = (("body", say("body"), rig.bodies), ("drive", say("drive"), rig.drives),
                 ("probe", say("probe"), rig.probes), ("draw_off", say("draw-off"), rig.draw_offs))  # fmt: skip
        return [
            (f"{part.name}: {tell(what)}", partial(self.select, part.name if kind == "body" else key_of(kind, k)))
            for kind, what, parts in kinds
            for k, part in enumerate(parts)
        ]

    def select(self, key: str) -> None:
        """Show the fields of a part, by its key; a body's is its name."""
        self.edits.selected = key
        self.refresh()

    def _select_new(self, key: str, name_it: bool) -> None:
        self.select(key)
        if name_it:
            self.panel.type_name()

    @property
    def verdict(self) -> str:
        """What the foot says."""
        return self.foot.verdict.text()

    def show_step(self, shown: bool) -> None:
        """Show the open-loop step, or the trial."""
        self.play.stop()
        self._step_shown = shown
        self.strip.fit()
        self.refresh()

    def set_step_drive(self, share: float) -> None:
        """Step to another drive."""
        self._step_drive = share
        self.request()
        self.refresh()

    def toggle_play(self) -> None:
        """Let the cursor run through what is shown, or stop it."""
        run = self._run()
        if run is not None:
            self.play.toggle(self._cursor_s(), float(run.time_s[-1]))

    def _wanted(self) -> Wanted:
        """Rig, drive and setpoint that the step shown belongs to."""
        project = self._document.project
        setpoint = self._view.trial(project).plan.last_degC
        return project.rig, self._step_drive or usual_drive(project.rig, setpoint), setpoint

    def request(self) -> None:
        if not self._runner.preparing:
            self.steps.request(*self._wanted())

    def _remarked(self) -> None:
        if self.isVisible():
            self.panel.refresh()

    def _step_known(self) -> None:
        if self.isVisible():
            self.refresh()
        self.stands_elsewhere.emit()

    def refresh(self) -> None:
        rig, drive, setpoint = self._wanted()
        result = self._runner.result_of(self._view.candidate(self._document.project).name)
        self.panel.relay_life_years = result.measures.values["relay_life_years"] if result is not None else None
        self.panel.refresh()
        project = self._document.project
        self.guessed.refresh(project, self._view.candidate(project), self._view.trial(project))
        self.parts.refresh()
        self._say_goal()
        self.heat_path.show_rig(rig, self.edits.selected, self._view.scale)
        self.step_button.setChecked(self._step_shown)
        self.trial_button.setChecked(not self._step_shown)
        self.drive_box.setVisible(self._step_shown)
        self.drive_box.setCurrentIndex(min(range(len(_DRIVES)), key=lambda k: abs(_DRIVES[k] - drive)))
        self.strip.show_lanes(self._lanes())
        current = self.steps.known_for == (rig, drive, setpoint)
        flat_out, held = (self.steps.flat_out_s, self.steps.holding) if current else (None, [])
        self.foot.show_rig(rig, setpoint, self._view.scale, flat_out, held)
        self._say_reading(current)
        self.show_cursor()

    def _say_goal(self) -> None:
        goal = self._document.project.rig.goal
        said = tell("Goal: what must be kept where, and why?  + goal")
        if goal is not None:
            kept = goal.text(self._view.scale)
            said = tell("Goal: {kept}", kept=kept)
            if goal.source:
                said = tell("Goal: {kept}; from {source}", kept=kept, source=goal.source)
        room = max(self.width() - theme.RIGHT_WIDTH - 80, 300)
        shown = QFontMetrics(self.goal.font()).elidedText(said, Qt.TextElideMode.ElideRight, room)
        self.goal.setText(menu_text(shown))
        self.goal.setToolTip(plain_tip(said))

    def _lanes(self) -> Shown:
        project, scale, selected = self._document.project, self._view.scale, self.edits.selected
        if self._step_shown and self.steps.cold is not None:
            return step_lanes(self.steps.cold, self.steps.warm, scale, selected)
        trial, found = self._view.trial(project), entries(self._document, self._runner)
        scene = scene_of(project, trial, scale, found, self._view.candidate(project).name)
        run = self._run()
        return Shown(
            (bodies_lane(scene, selected), drive_lane(scene, others=False), events_lane(scene)), trial.duration_s,
            run.time_s if run is not None else np.empty(0),
        )  # fmt: skip

    def _say_reading(self, current: bool) -> None:
        cold, scale = self.steps.cold, self._view.scale
        self.reading.setVisible(self._step_shown)
        warm = warm_text(cold, self.steps.warm, scale) if cold is not None and not self.steps.fault else ""
        self.warm_reading.say(tell(warm))
        self.warm_reading.setVisible(self._step_shown and bool(warm))
        if self.steps.fault:
            self.reading.say(tell(self.steps.fault), "ember")
        elif cold is None:
            self.reading.say(tell("the step is being computed …"), "muted")
        else:
            self.reading.say(tell(reading_text(cold, scale)), "ink" if current else "muted")

    def _run(self) -> Run | None:
        """The run whose temperatures the heat path shows."""
        if self._step_shown:
            return self.steps.cold.run if self.steps.cold is not None else None
        result = self._runner.result_of(self._view.candidate(self._document.project).name)
        return None if result is None else result.run

    def _cursor_s(self) -> float:
        return self._step_cursor_s if self._step_shown else self._view.cursor_s

    def show_cursor(self) -> None:
        run = self._run()
        if run is None:
            self._caption.say(
                tell("preparing, first start only …") if self._runner.preparing else tell("nothing computed yet")
            )
            self.heat_path.show_run(None, 0)
            return
        last = float(run.time_s[-1])
        if self._step_shown and (self._step_cursor_s > last or not last / 3 < self._step_last_s < last * 3):
            # A step of another length: where there is something to see.
            self._step_cursor_s = float(run.time_s[run.sample_at(0.12 * last)])
        if self._step_shown:
            self._step_last_s = last
        at = self._cursor_s()
        self.strip.set_cursor(at, self._view.pinned)
        self.heat_path.show_run(run, run.sample_at(at))
        when = clock(at, 60 if last > 7200 else 1)
        if self._step_shown:
            assert self.steps.cold is not None
            share = figures(f"{100 * self.steps.cold.after:.0f}", "%")
            self._caption.say(tell("at {when} of the open-loop step: {share} drive, from cold", when=when, share=share))
            return
        project = self._document.project
        candidate = self._view.candidate(project)
        fault = self._runner.faults.get(candidate.name)
        self._caption.say(fault or tell("at {when} of “{trial}” with {candidate}", when=when,
                                        trial=self._view.trial(project).name, candidate=candidate.name))  # fmt: skip

    def _move_cursor(self, time_s: float) -> None:
        if self._step_shown:
            self._step_cursor_s = time_s
            self.show_cursor()
        else:
            self._view.move_cursor(time_s)

    def _play_to(self, time_s: float) -> None:
        run = self._run()
        if run is not None:
            self._move_cursor(float(run.time_s[run.sample_at(time_s)]))

    def _pin(self, pinned: bool) -> None:
        self._view.pinned = pinned
        self.show_cursor()

    def new_look(self) -> None:
        self.heat_path.rebuild()

    def finish(self) -> None:
        self.play.stop()
