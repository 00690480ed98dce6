"""The right column: big figures and the stop, the drive by hand, measures, provocations and tests, the recording."""

import math
from collections.abc import Callable
from functools import partial

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFormLayout, QHBoxLayout, QPushButton, QSlider, QVBoxLayout, QWidget

from kelvarn.desktop import theme
from kelvarn.desktop.fields.plain import heading, link, small
from kelvarn.desktop.language import fault_told, tell
from kelvarn.desktop.parts.plain import PlainLabel, set_shown
from kelvarn.desktop.state.view import View
from kelvarn.fit.observed import FitError
from kelvarn.handover.points import Mode, points_of
from kelvarn.link.bench.first_hour import needs_before_heat
from kelvarn.link.bench.live import Live
from kelvarn.link.bench.observer import provocations
from kelvarn.link.bench.provoking import SETPOINT_K, score
from kelvarn.link.bench.session import Session
from kelvarn.link.bench.sweep import Sweep
from kelvarn.link.bench.tasks import RelayTest, Task, cool_down, limit_degC_of_test, planned_recording, step_test
from kelvarn.model.drives import Fan
from kelvarn.model.rig import Rig
from kelvarn.sentence import figures, say
from kelvarn.units import Quantity, show

from .figures import Against, BigFigures, StopButton
from .recording_panel import RecordingPanel
from .typed import TypedNumber
from .work import Bench

_STEP_S, _COOL_S = 4 * 3600.0, 8 * 3600.0
_MARGIN_K, _USUAL_DEGC = 10.0, 60.0
_TESTS = (
    ("step", say("step test")), ("relay", say("relay test")), ("cool", say("cool-down")),
    ("plan", say("the recording that Fit plans")),
    ("sweep", say("where the fan stands")),
)  # fmt: skip


class HandPanel(QWidget):
    """The drive by hand: a slider and a few duties; held by a lease that ends when Kelvarn falls silent."""

    def __init__(self, bench: Bench, say: Callable[[str], None]) -> None:
        super().__init__()
        self._bench, self._say = bench, say
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        head = QHBoxLayout()
        head.addWidget(heading(tell("Drive by hand")))
        self.value = PlainLabel("0 %")
        self.value.setFont(theme.font(bold=True))
        head.addStretch(1)
        head.addWidget(self.value)
        column.addLayout(head)
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setRange(0, 100)
        self.slider.setAccessibleName(tell("Drive by hand, %"))
        self.slider.valueChanged.connect(lambda value: self.value.setText(f"{value} %"))
        self.slider.sliderReleased.connect(self._hold)
        column.addWidget(self.slider)
        row = QHBoxLayout()
        for text, value in ((tell("off"), 0), ("10 %", 10), ("30 %", 30), (tell("full"), 100)):
            button = QPushButton(text)
            button.setProperty("chip", True)
            button.clicked.connect(lambda _=False, v=value: self._set(v))
            row.addWidget(button)
        column.addLayout(row)
        column.addWidget(small(tell("off by itself 6 s after Kelvarn falls silent")))

    def _set(self, value: int) -> None:
        self.slider.setValue(value)
        self._hold()

    def _hold(self) -> None:
        session = self._bench.session
        if session is None:
            return
        value = self.slider.value()
        if value and (why := needs_before_heat(session, self._bench.done)):
            self.slider.setValue(0)
            self._say(why)
            return
        self._say(session.hold("all", str(value)))

    def refresh(self) -> None:
        """Show it while the drive is held by hand."""
        session = self._bench.session
        last = None if session is None else session.last
        set_shown(self, last is not None and last.mode == Mode.HAND and session is not None and not session.watch_only)


class TestsPanel(QWidget):
    """Provocations and tests that end as logs."""

    def __init__(self, bench: Bench, view: View, say: Callable[[str], None]) -> None:
        super().__init__()
        self._bench, self._view, self._say = bench, view, say
        self._sweep: Sweep | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(3)
        column.addWidget(heading(tell("Provoke it")))
        self.provocations: dict[str, QPushButton] = {}
        self._offers = QVBoxLayout()
        self._offers.setSpacing(2)
        column.addLayout(self._offers)
        self.score = small("")
        self.score.setWordWrap(True)
        column.addWidget(self.score)
        column.addSpacing(6)
        column.addWidget(heading(tell("Tests, kept as logs")))
        form = QFormLayout()
        form.setContentsMargins(0, 0, 0, 0)
        self.duty = TypedNumber(tell("Drive of the test"), 30.0, 0.0, 100.0, "%")
        self.limit = TypedNumber(tell("Ends at, °C"), 0.0, -273.0, 3000.0, "°C")
        form.addRow(PlainLabel(tell("Drive")), self.duty)
        form.addRow(PlainLabel(tell("Ends at")), self.limit)
        column.addLayout(form)
        self.buttons: dict[str, QPushButton] = {}
        for key, text in _TESTS:
            button = link(tell(text), partial(self._begin, key))
            column.addWidget(button)
            self.buttons[key] = button
        self.under_way = small("")
        self.under_way.setWordWrap(True)
        self.end = link(tell("end the test"), self._end)
        column.addWidget(self.under_way)
        self.turns = link(tell("it stands now"), self._turns)
        self.use = link(
            tell("use in the rig"), self._use_sweep, tell("Stalls below, starts from and kick-start, as found")
        )
        self.supply = TypedNumber(tell("Supply that the fan has, V"), 12.0, 0.5, 1000.0, "V")
        for widget in (self.turns, self.supply, self.use, self.end):
            column.addWidget(widget)

    def _provoke(self, name: str) -> None:
        session = self._bench.session
        if session is not None and not name and session.last is not None and session.last.nudged:
            session.orders.release("setpoint")
            session.note(say("setpoint back"))
            return
        self._say(self._bench.provoke(name))

    def _offer(self, session: Session) -> None:
        """A button for each provocation, once it is known what there is."""
        names = ["", *(event.name for event in provocations(session.carried.project))]
        if list(self.provocations) == names:
            return
        for button in self.provocations.values():
            button.hide()
            button.deleteLater()
        self.provocations = {}
        for name in names:
            text = (
                tell("{name}: now", name=name)
                if name
                else tell("setpoint by {setpoint} K, and back", setpoint=figures(f"{SETPOINT_K:+.0f}", ""))
            )
            button = link(text, partial(self._provoke, name), tell("The expected answer is drawn first, then scored"))
            self._offers.addWidget(button)
            self.provocations[name] = button

    def _begin(self, key: str) -> None:
        session = self._bench.session
        if session is None or session.last is None:
            return
        rig = session.carried.project.rig
        fan, place = _fan_of(rig)
        harmless = key == "cool" or (key == "sweep" and fan is not None and fan.acts == "cools")
        if not harmless and (why := needs_before_heat(session, self._bench.done)):
            self._say(why)
            return
        duty, noise = self.duty.number / 100.0, rig.probe.noise_K
        task: Task = cool_down(_COOL_S, noise)
        if key == "step":
            task = step_test(duty, _STEP_S, noise)
        elif key == "plan":
            try:
                task, ends_degC = planned_recording(rig, session.last.setpoint_degC)
            except FitError as error:
                self._say(fault_told(error))
                return
            if ends_degC > self.limit.number:
                self._say(
                    tell(
                        "It would end at {ends} °C, beyond {limit} °C: raise where it ends.",
                        ends=figures(f"{ends_degC:.0f}", ""),
                        limit=figures(f"{self.limit.number:.0f}", ""),
                    )
                )
                return
        elif key == "sweep" and fan is not None:
            point = points_of(session.carried).outputs[place].name
            task = self._sweep = Sweep(fan, place, point, rig.probe.interval_s)
        elif key == "relay":
            hysteresis = max(3 * noise, 2 * rig.probe.resolution_K, 0.1)
            task = RelayTest(session.last.setpoint_degC, duty, way=rig.way.sign, hysteresis_K=hysteresis)
        self._say(session.begin_task(task, self.limit.number))
        if session.task is task and session.recorder is None:
            self._say(self._bench.record())

    def _turns(self) -> None:
        """Whoever listens to the fan says what is asked."""
        if self._sweep is not None:
            self._sweep.heard()

    def _use_sweep(self) -> None:
        sweep = self._sweep
        if sweep is not None:
            supply_V = None if sweep.fan.rated_V is None else self.supply.number
            self._bench.use_sweep(sweep.output, sweep.found, supply_V)
            self._sweep = None
            self._say(tell("The rig has it now; hand the program over anew."))

    def _end(self) -> None:
        if self._bench.session is not None:
            self._bench.session.end_task()

    def refresh(self) -> None:
        """Show what is under way."""
        session = self._bench.session
        set_shown(self, session is not None and not session.watch_only and session.is_ours)
        if session is None:
            return
        if not self.limit.typed:
            setpoint = session.last.setpoint_degC if session.last is not None else _USUAL_DEGC
            self.limit.put(limit_degC_of_test(session.carried.project.rig, setpoint + _MARGIN_K))
        task = session.task
        set_shown(self.end, task is not None)
        self.under_way.setText("" if task is None else self._under_way(task.name))
        self._offer(session)
        self._show_sweep(session)
        nudged = session.last is not None and session.last.nudged
        back = (
            tell("setpoint back")
            if nudged
            else tell("setpoint by {setpoint} K, and back", setpoint=figures(f"{SETPOINT_K:+.0f}", ""))
        )
        self.provocations[""].setText(back)
        self.score.setText(self._scored(session))

    def _under_way(self, name: str) -> str:
        ends = figures(f"{self.limit.number:.1f}", "°C")
        return tell(
            "{task} is under way; ends at {degC}, when steady, or when Kelvarn falls silent", task=name, degC=ends
        )

    def _show_sweep(self, session: Session) -> None:
        fan, _ = _fan_of(session.carried.project.rig)
        sweep = self._sweep
        found = sweep is not None and sweep.found.stalls_below is not None and session.task is not sweep
        set_shown(self.buttons["sweep"], fan is not None)
        set_shown(self.turns, sweep is not None and session.task is sweep and bool(sweep.phase.asks))
        set_shown(self.use, found)
        set_shown(self.supply, found and fan is not None and fan.rated_V is not None)
        if sweep is not None:
            self.turns.setText(sweep.phase.asks)
        if fan is not None and not self.supply.typed:
            self.supply.put(fan.supply_V or fan.rated_V or 12.0)

    def _scored(self, session: Session) -> str:
        provoked, history = self._bench.at.provoked, session.history
        if provoked is None:
            return ""
        measured = history.of("measured_degC")
        known = np.isfinite(measured)
        return score(provoked, history.of("time_s")[known], measured[known], session.carried.trial.band_K,
                     self._view.scale)  # fmt: skip


def _fan_of(rig: Rig) -> tuple[Fan | None, int]:
    """The first fan of a rig, and its place among the drives."""
    return next(((drive, k) for k, drive in enumerate(rig.drives) if isinstance(drive, Fan)), (None, 0))


class RightColumn(QWidget):
    """All of it."""

    def __init__(self, bench: Bench, view: View, say: Callable[[str], None]) -> None:
        super().__init__()
        self._bench, self._view = bench, view
        self.figures, self.stop, self.against = BigFigures(), StopButton(), Against()
        self.stop.clicked.connect(bench.stop)
        self.stop_state = PlainLabel()
        self.stop_state.setProperty("role", "muted")
        self.stop_state.setFont(theme.font("small"))
        self.stop_state.setAlignment(Qt.AlignmentFlag.AlignHCenter)
        self.stop_state.setWordWrap(True)
        self.again = QPushButton(tell("Let it go on"))
        self.again.clicked.connect(lambda: say(self._order("again")))
        self.arm = QPushButton(tell("Arm: begin in 10 s"))
        self.arm.clicked.connect(lambda: say(bench.arm()))
        self.hand = HandPanel(bench, say)
        self.tests = TestsPanel(bench, view, say)
        self.recording = RecordingPanel(bench, say)
        column = QVBoxLayout(self)
        column.setContentsMargins(2, 0, theme.GAP, 0)
        column.setSpacing(6)
        for widget in (self.figures, self.stop, self.stop_state, self.again, self.arm, self.hand):
            column.addWidget(widget)
        column.addSpacing(8)
        column.addWidget(self.against)
        column.addSpacing(8)
        column.addWidget(self.tests)
        column.addSpacing(8)
        column.addWidget(self.recording)
        column.addStretch(1)

    def _order(self, line: str) -> str:
        session = self._bench.session
        return tell("There is no link.") if session is None else session.order(line)

    def refresh(self, live: Live | None, below: str) -> None:
        """Show the present state."""
        session = self._bench.session
        self.figures.show_session(session, self._view.scale, below)
        for part in (self.stop, self.stop_state, self.against):
            set_shown(part, session is not None)
        last = None if session is None else session.last
        stopped = last is not None and last.stopped
        counts = self._bench.counts_s
        set_shown(self.again, stopped and counts is None)
        set_shown(self.arm, last is not None and (stopped or last.mode == Mode.HAND) and counts is None)
        self.stop_state.setText(self._stop_text(session, counts))
        heats = session is None or session.carried.project.rig.heats
        self.stop.setText(tell("Stop heating") if heats else tell("Stop what is held"))
        self.against.show_live(live)
        for panel in (self.hand, self.tests, self.recording):
            panel.refresh()

    def _stop_text(self, session: Session | None, counts: float | None) -> str:
        if session is None:
            return ""
        if counts is not None:
            return tell("begins in {counts} s; Esc stops it", counts=figures(f"{counts:.0f}", ""))
        last = session.last
        if session.stop_asked_s is not None and session.stop_done_s is None:
            return tell("stop was said …")
        if last is not None and last.stopped:
            said = [tell("stopped")]
            if session.stop_asked_s is not None and session.stop_done_s is not None:
                took = figures(f"{1000 * (session.stop_done_s - session.stop_asked_s):.0f}", "ms")
                said = [tell("stopped, {took} after it was said", took=took)]
            cold_s = self._bench.at.cold_s
            if cold_s is not None and math.isfinite(cold_s):
                said.append(tell("cold again in {time}", time=show(cold_s, Quantity.DURATION)))
            return "; ".join(said)
        return tell("Esc, from anywhere in the program")
