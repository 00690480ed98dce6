"""Puts the Bench together: beside the device, from the first hour on."""

from datetime import date

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import (
    QButtonGroup,
    QFrame,
    QHBoxLayout,
    QInputDialog,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from kelvarn.desktop import theme
from kelvarn.desktop.fields.plain import link
from kelvarn.desktop.language import tell, told
from kelvarn.desktop.parts.elided import ElidedLine
from kelvarn.desktop.parts.menus import Command
from kelvarn.desktop.parts.panel import Columns, Scrolled
from kelvarn.desktop.parts.plain import set_shown
from kelvarn.desktop.stations.station import Context, Phrase, Place, Station
from kelvarn.desktop.strip.strip import Strip
from kelvarn.link.bench.first_hour import KEYS, STEPS
from kelvarn.link.bench.live import Live
from kelvarn.link.bench.session import Session
from kelvarn.sentence import joined, say
from kelvarn.units import Quantity, show
from kelvarn.words.live import why_live
from kelvarn.words.sample import Sample as WordsSample

from .esc import EscStops
from .hour_view import HourView
from .left import DevicePanel, StepList, WhoPanel
from .link_panel import LinkPanel
from .right import RightColumn
from .scene import live_lanes
from .week_view import WeekView
from .work import Bench

_LEFT_WIDTH = 236
_SAID_MS = 15_000
_WARNING = say(
    "stay beside it: a heater under test needs someone near, and a cut-off of its own that no software overrides."
)
_LIVE, _HOUR, _WEEK = say("live"), say("first hour"), say("week")


class BenchStation(Station):
    """The device beside the program."""

    title, keys = say("Bench"), "Ctrl+5"

    def __init__(self, context: Context) -> None:
        super().__init__(context)
        self._document, self._view = context.document, context.view
        self.bench = Bench(context.document, context.view, context.runner.jobs)
        self.bench.updated.connect(self.refresh)
        self.bench.updated.connect(self.stands_elsewhere)
        self.bench.moved.connect(self._moved)
        self._said = ""
        self._said_timer = QTimer(self)
        self._said_timer.setSingleShot(True)
        self._said_timer.setInterval(_SAID_MS)
        self._said_timer.timeout.connect(lambda: self.say(""))
        self._phrase = Phrase(tell("not connected"), "begin")
        self.strip = Strip()
        self.link = LinkPanel(self.bench)
        self.who = WhoPanel(self.bench, self.say)
        self.device = DevicePanel(self.bench, self.say)
        self.steps = StepList(self.bench, self._choose_step)
        self.hour = HourView(self.bench, context.view)
        self.week = WeekView(context.document, context.view, context.runner)
        self.right = RightColumn(self.bench, context.view, self.say)
        self._why = ElidedLine("body", indent=2)
        self._esc = EscStops(self._stop_by_key)
        self.bench.updated.connect(self._watch_esc)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, theme.GAP, 0, 0)
        layout.setSpacing(6)
        right = Scrolled(self.right)
        right.setMinimumWidth(theme.RIGHT_WIDTH - 30)
        layout.addWidget(Columns(self._left(), self._middle(), right, _LEFT_WIDTH), 1)
        layout.addWidget(self._foot())

    def _left(self) -> QWidget:
        left = QWidget()
        column = QVBoxLayout(left)
        column.setContentsMargins(0, 0, 8, 0)
        column.setSpacing(8)
        column.addWidget(self.link)
        row = QHBoxLayout()
        group = QButtonGroup(self)
        self.tabs: dict[str, QPushButton] = {}
        for name in (_HOUR, _LIVE, _WEEK):
            chip = QPushButton(f"  {told(name)}  ")
            chip.setCheckable(True)
            chip.setProperty("chip", True)
            chip.clicked.connect(lambda _=False, n=name: self.show_tab(n))
            group.addButton(chip)
            row.addWidget(chip)
            self.tabs[name] = chip
        column.addLayout(row)
        for widget in (self.steps, self.who, self.device):
            column.addWidget(widget)
        column.addStretch(1)
        return left

    def _middle(self) -> QWidget:
        live = QWidget()
        column = QVBoxLayout(live)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addWidget(self.strip, 1)
        row = QHBoxLayout()
        row.addWidget(self._why, 1)
        self.happens = link(
            tell("say what happens now …"), self._say_what_happens, tell("A door, a cold part: kept with the log")
        )
        row.addWidget(self.happens)
        column.addLayout(row)
        self._stack = QStackedWidget()
        self._stack.addWidget(self.hour)
        self._stack.addWidget(live)
        self._stack.addWidget(self.week)
        self._tab: str = _HOUR
        self.tabs[_HOUR].setChecked(True)
        return self._stack

    def _foot(self) -> QWidget:
        foot = QFrame()
        foot.setProperty("foot", True)
        row = QHBoxLayout(foot)
        row.setContentsMargins(16, 10, 16, 10)
        self._warning = ElidedLine("body", "ember", bold=True, ground="panel")
        row.addWidget(self._warning)
        return foot

    # Showing.

    @property
    def chart(self) -> Strip | None:
        return self.strip

    def commands(self) -> list[Command]:
        menu = say("&Bench")
        return [
            Command(menu, say("Open or close the link"), "", self.shown(self.link._toggle)),
            Command(menu, say("Practice rig"), "", self.shown(self.bench.practise)),
            Command(menu, say("Stop heating"), "Ctrl+.", self.bench.stop),
            Command(menu, say("Say what happens now…"), "", self.shown(self._say_what_happens)),
            Command(menu, say("Record, or keep as a log"), "", self.shown(self.right.recording._toggle)),
        ]

    def places(self) -> list[Place]:
        return [(tell("{step}, first hour", step=step.title), lambda k=step.key: self._go_to_step(k)) for step in STEPS]  # type: ignore[misc]

    def _go_to_step(self, key: str) -> None:
        self.show_tab(_HOUR)
        self._choose_step(key)

    def phrase(self) -> Phrase:
        session, day = self.bench.session, self._document.project.look_again
        if session is None:
            due = bool(day) and day <= date.today().isoformat()
            return Phrase(tell("look again today"), "look") if due else Phrase(tell("not connected"), "begin")
        last = session.last
        if last is None:
            return Phrase(tell("link {state}", state=session.listener.state.value), "look")
        if last.stopped:
            return Phrase(tell("stopped"), "look")
        left = [key for key in KEYS if key not in self.bench.done]
        if left and self._tab == _HOUR:
            return Phrase(tell("first hour, {done} of {steps}", done=len(KEYS) - len(left), steps=len(KEYS)), "look")
        heats = last.given > 0 and session.carried.project.rig.heats
        doing = tell("heating") if heats else tell("on" if last.given else "off")
        return Phrase(joined(", ", (doing, show(session.time_s, Quantity.DURATION))), "look" if last.given else "fine")

    def show_tab(self, name: str) -> None:
        """Show the first hour, or what is live."""
        self._tab = name
        self.tabs[name].setChecked(True)
        self._stack.setCurrentIndex((_HOUR, _LIVE, _WEEK).index(name))
        self.refresh()

    def refresh(self) -> None:
        is_hour = self._tab == _HOUR
        set_shown(self.steps, is_hour)
        set_shown(self.who, not is_hour)
        set_shown(self.device, not is_hour)
        self.link.refresh()
        self.steps.refresh()
        self.who.refresh()
        self.device.refresh()
        self._show_live()

    def _watch_esc(self) -> None:
        """Esc stops something while a device is listened to."""
        self._esc.watch(bool(self.bench.sessions))

    def _moved(self) -> None:
        phrase = self.phrase()
        if phrase != self._phrase:
            self._phrase = phrase
            self.stands_elsewhere.emit()
        if self.isVisible():
            self.link.refresh()
            self.who.refresh()
            self.device.refresh()
            self.steps.refresh()
            self._show_live()

    @property
    def live(self) -> Live | None:
        """What the live strip is made of; None before the first sample."""
        session = self.bench.session
        if session is None or session.last is None:
            return None
        return Live(session, self.bench.at.expected, self.bench.at.future, self._view.scale, self.bench.at.provoked)

    def _show_live(self) -> None:
        live, session = self.live, self.bench.session
        if self._tab == _HOUR:
            self.hour.refresh()
        elif self._tab == _WEEK:
            self.week.refresh()
        elif live is not None:
            self.strip.show_lanes(live_lanes(live))
        self.right.refresh(live, self._below(live))
        said = self._said or ("" if session is None else session.said)
        self._why.say(said or self._why_text(live), "gold" if said else "ink")
        warning = tell("Not to be left alone: {warning}", warning=_WARNING)
        if said and self._tab == _HOUR:
            warning = said
        self._warning.say(warning)

    def _below(self, live: Live | None) -> str:
        """A line below the big figures: what was expected now, and when the setpoint is reached."""
        if live is None or self.bench.at.future is None:
            return ""
        at_s, future = self.bench.at.future
        since_s = live.session.time_s - at_s
        parts = []
        if 0 <= since_s <= future.time_s[-1]:
            place = int(since_s / max(future.time_s[1], 1e-9))
            parts.append(
                tell("expected {degc}", degc=show(float(future.degC[place]), Quantity.TEMPERATURE, live.scale))
            )
        near = abs(future.degC - future.setpoint_degC) <= live.session.carried.trial.band_K
        if near.all():
            parts.append(tell("steady"))
        elif near.any() and not near[0]:
            parts.append(
                tell("at setpoint in {time}", time=show(float(future.time_s[int(near.argmax())]), Quantity.DURATION))
            )
        return "; ".join(parts)

    def _why_text(self, live: Live | None) -> str:
        if live is None:
            return ""
        session: Session = live.session
        last, rig = session.last, session.carried.project.rig
        if last is None or last.reading_degC is None:
            return tell("There is no reading.")
        if not session.is_ours:
            return tell(
                "law code {law}, guard code {guard}: another program than the project's", law=last.law, guard=last.guard
            )
        decided = session.observer.decided if session.observer is not None else None
        sample = WordsSample(
            setpoint_degC=last.setpoint_degC, measured_degC=last.reading_degC, asked=last.asked, given=last.given,
            delay_left_s=0.0 if decided is None else decided.delay_left_s, code=last.law, direction=rig.way.sign,
            both=rig.way.both, p=0.0 if decided is None else decided.p, i=0.0 if decided is None else decided.i,
            d=0.0 if decided is None else decided.d,
        )  # fmt: skip
        return tell(
            "The device: {why}",
            why=why_live(rig, session.carried.candidate.controller, last.guard, sample, live.scale),
        )

    # What is done.

    def say(self, text: str) -> None:
        """Say something for a while; empty ends that."""
        self._said = text
        if text:
            self._said_timer.start()
        self._show_live()

    def _choose_step(self, key: str) -> None:
        if self.bench.at.first_hour is not None:
            self.bench.at.first_hour.choose(key)
        self.refresh()

    def _stop_by_key(self) -> None:
        self.bench.stop()
        self.stands_elsewhere.emit()

    def _say_what_happens(self) -> None:
        session = self.bench.session
        if session is None:
            return
        names = [event.name for trial in self._document.project.trials for event in trial.events]
        text, wanted = QInputDialog.getItem(
            self,
            "Kelvarn",
            tell("What happens now?"),
            list(dict.fromkeys([tell("door opened"), *names, tell("door shut")])),
            0,
            True,
        )
        if wanted and text.strip():
            session.note(text.strip()[:80])
            self._show_live()

    def finish(self) -> None:
        self._said_timer.stop()
        self._esc.watch(False)
        self.bench.close_all()
        self.bench.end_practice()
