"""A device beside which somebody stands: its link, what it did so far, what is held and recorded, its tests.

Samples arrive on a thread; `poll`, called by whoever shows them, takes all of them in order. So everything but the wire
goes on in one thread.
"""

import random
import threading
import time
from collections import deque
from collections.abc import Callable
from datetime import datetime
from pathlib import Path

from kelvarn.handover.carry import Carried
from kelvarn.handover.points import Mode
from kelvarn.handover.settings import fingerprint
from kelvarn.link.address import LinkAddress
from kelvarn.link.device import Device, ProbeLine
from kelvarn.link.faults import LinkError
from kelvarn.link.lines import Answer, Sample, TalkPoint
from kelvarn.link.listener import LinkState, Listener
from kelvarn.link.recording import DeviceTime, Recorder, RecordingError, facts_of
from kelvarn.link.wire import Wire, open_wire
from kelvarn.model.guards import Trip
from kelvarn.sentence import figures, say

from .history import History
from .observer import Observer
from .orders import LEASE_S, Orders
from .tasks import Task

STALE_SAMPLES, STALE_S = 2.5, 1.0
"""A value is stale after so many samples and a second."""
_STOP_WITHIN_S = 5.0
"""Within which a stop that was said is waited for; then it may be said anew."""
_NO_RISE_S, _NO_RISE_K = 240.0, 0.5


class Session:
    """A device and all that is kept of it.

    Args:
        carried: the program that should be in it.
        address: where it is.
        opens: what opens a wire.
        clock: seconds that only go on.
        now: the clock of the day.
        draw: where tokens come from.
        renew_s: how often what is held is said again.
    """

    def __init__(
        self, carried: Carried, address: LinkAddress, opens: Callable[[LinkAddress], Wire] = open_wire,
        clock: Callable[[], float] = time.monotonic, now: Callable[[], datetime] = datetime.now,
        draw: random.Random | None = None, renew_s: float = LEASE_S / 3,
    ) -> None:  # fmt: skip
        self.carried, self._clock, self._now = carried, clock, now
        self._arrived: deque[Sample | tuple[LinkState, str] | str] = deque()
        self.listener = Listener(address, self._arrived.append, lambda *told: self._arrived.append(told), opens, clock)
        token = (draw or random.Random()).randrange(1, 65_536)
        self.orders = Orders(lambda: self.listener.device, token, renew_s)
        rig = carried.project.rig
        self.history = History(len(rig.probes), len(rig.drives))
        self.observer: Observer | None = None
        self.recorder: Recorder | None = None
        self.task: Task | None = None
        self._task_begun_s = 0.0
        self._mode_before = Mode.OWN
        self.last: Sample | None = None
        self.time_s = 0.0
        self._time = DeviceTime()
        self._recorded_from_s = 0.0
        self.watch_only = False
        self.said = ""  # what is to be said now, in a sentence
        self.stop_asked_s: float | None = None
        self.stop_done_s: float | None = None
        self._heats_since: tuple[float, float] | None = None
        self._beyond_since: dict[str, float] = {}  # when each guard should have begun to act
        self._state = LinkState.CLOSED
        self._sent = 0
        self._asks_raws = False
        self.raws: list[ProbeLine] = []
        self.changed_there = ""

    # The link.

    def begin(self) -> None:
        """Begin to listen."""
        self.listener.begin()

    @property
    def device(self) -> Device | None:
        """The device, while there is a link."""
        return self.listener.device

    @property
    def is_open(self) -> bool:
        """Whether there is a link."""
        return self.listener.state == LinkState.OPEN

    @property
    def is_ours(self) -> bool:
        """Whether its program was made from the state that the project is in."""
        found = self.listener.identity
        return found is not None and found.state == fingerprint(self.carried.project, self.carried.candidate)

    @property
    def settings(self) -> list[TalkPoint]:
        """Points that may be written."""
        return [point for point in self.listener.points if point.writes]

    def age_s(self) -> float | None:
        """How old the last sample is; None before the first."""
        return None if self.last is None else self._clock() - self.last.at_s

    @property
    def is_stale(self) -> bool:
        """Whether what is shown is older than it should be."""
        age_s = self.age_s()
        return age_s is None or age_s > STALE_SAMPLES * self.carried.project.rig.probe.interval_s + STALE_S

    def may_order(self) -> str:
        """Why nothing may be ordered, in a sentence; empty where it may."""
        if self.watch_only:
            return say("Nobody may: it is only watched.")
        if not self.is_open:
            return say("There is no link.")
        if not self.is_ours:
            found = self.listener.identity
            state = found.state if found is not None else "unknown"
            return say("It has the program of another state ({state}): it is only watched. Hand the program over anew.",
                       state=state)  # fmt: skip
        return ""

    def may_heat(self) -> str:
        """Why nothing may be held, in a sentence; empty where it may."""
        if said := self.may_order():
            return said
        if self.last is None or self.is_stale:
            return say("Nothing is heard of it: nothing is held that nobody sees.")
        if self.last.stopped:
            return say("It is stopped.")
        return ""

    # What is done.

    def order(self, line: str, then: Callable[[Answer | None, str], None] | None = None) -> str:
        """Say an order. Returns why not, in a sentence; empty where it is said."""
        if not (said := self.may_order()):
            self.orders.say(line, then)
        return said

    def stop(self) -> None:
        """Stop heating, whatever else is under way; never waits for the device."""
        self.stop_asked_s, self.stop_done_s = self._clock(), None
        self._end_task(say("stopped"))
        self.note(say("stop"))
        threading.Thread(target=self._stop, name="stop", daemon=True).start()

    def _stop(self) -> None:
        for _ in range(3):  # a line may be lost; stop is harmless however often it is said
            try:
                self.orders.stop()
            except LinkError as error:
                self._arrived.append(say("Stop was not heard: {why} Switch it off by hand.", why=error.said))
                return
            for _ in range(20):
                if self.stop_done_s is not None:
                    return
                time.sleep(0.05)

    def begin_task(self, task: Task, limit_degC: float) -> str:
        """Put it through a test, that the device ends at a limit. Returns why not; empty where it begins."""
        if said := self.may_heat():
            return said
        if self.task is not None:
            return say("The {task} is under way: end it first.", task=self.task.name)
        heat_s = min(86_400, int(task.most_heat_s) + 1)
        self.task, self._task_begun_s = task, self.time_s
        self._mode_before = Mode(self.last.mode) if self.last is not None else Mode.OWN
        self.note(say("{task} begins", task=task.name))
        heats = f"mode test {heat_s} {limit_degC:.1f}"
        self.orders.say(heats, lambda answer, why: None if answer else self._refused(why))
        return ""

    def _refused(self, why: str) -> None:
        self._arrived.append(why)

    def end_task(self) -> None:
        """End the test under way: the device goes back to what was."""
        if self.task is not None:
            self._end_task(say("ended by hand"))
            self._back()

    def _end_task(self, why: str) -> None:
        if self.task is not None:
            self.note(say("{task} over: {why}", task=self.task.name, why=why))
            self.said = say("The {task} is over: {why}.", task=self.task.name, why=why)
            self.task = None
            self.orders.release()

    def _back(self) -> None:
        """Let the device go back to what was before the test."""
        self.order(f"mode {self._mode_before.name.lower()}")

    def hold(self, drive: str, value: str) -> str:
        """Hold a drive by hand, the setpoint or the limits. Returns why not; empty where it is said."""
        if said := self.may_heat():
            return said
        self.orders.hold(drive, value, lambda answer, why: None if answer else self._refused(why))
        return ""

    # Recording.

    def record(self, path: Path) -> None:
        """Record from now on.

        Raises:
            RecordingError: it cannot be written.
        """
        if self.recorder is not None:
            raise RecordingError(say("It is recorded already."))
        project, candidate = self.carried.project, self.carried.candidate
        facts = facts_of(self.listener, project.name, candidate.name, [probe.name for probe in project.rig.probes])
        self.recorder = Recorder(path, facts, self._clock, self._now)
        self._recorded_from_s = self.time_s

    def end_recording(self) -> Path | None:
        """End the recording; where it is."""
        recorder, self.recorder = self.recorder, None
        if recorder is None:
            return None
        recorder.close()
        return recorder.path

    def note(self, text: str) -> None:
        """Note that something happens now."""
        self.history.note(text, self.time_s)
        if self.recorder is not None:
            self.recorder.note(text, self.time_s - self._recorded_from_s)

    # What arrives.

    def poll(self) -> bool:
        """Take all that has arrived; whether there was anything."""
        found = False
        while self._arrived:
            each = self._arrived.popleft()
            found = True
            if isinstance(each, Sample):
                self._take(each)
            elif isinstance(each, str):
                self.said = each
            else:
                self._changed(*each)
        if self.recorder is not None and self.recorder.trouble:
            self.said = self.recorder.trouble
        return found

    def _changed(self, state: LinkState, text: str) -> None:
        if text:
            self.said = text
        if state != self._state:
            if state in (LinkState.LOST, LinkState.OPEN):
                self.note(say("link lost") if state == LinkState.LOST else say("link open"))
            if state == LinkState.LOST and self.task is not None:
                self._end_task("the link is lost; the device ends it by itself")
            self._state = state

    def _take(self, sample: Sample) -> None:
        before_s, first = self.time_s, self.last is None
        self.time_s = self._time.of(sample)
        if sample.stopped and self.stop_asked_s is not None and self.stop_done_s is None:
            self.stop_done_s = max(sample.at_s, self.stop_asked_s)
        was = self.last
        self.last = sample
        if was is not None and sample.edits != was.edits:
            self._settings_changed()
        self.history.add(sample, self.time_s)
        if self.recorder is not None:
            self.recorder.add(sample, self.time_s - self._recorded_from_s)
        if self.observer is None and sample.reading_degC is not None and self.is_ours:
            self.observer = Observer(self.carried, sample.reading_degC)
            first = True
        if self.observer is not None:
            self.observer.take(sample, 0.0 if first else self.time_s - before_s)
        self._look_at_guards(sample)
        self._look_for_rise(sample)
        self._go_on_with_task(sample)

    def read_raws(self) -> None:
        """Ask for the raw figures of all probes, in a thread of its own; `raws` then has them."""
        if not self._asks_raws and self.is_open:
            self._asks_raws = True
            threading.Thread(target=self._read_raws, name="raws", daemon=True).start()

    def _read_raws(self) -> None:
        device = self.device
        try:
            if device is not None:
                self.raws = device.probes()
        except LinkError:
            pass  # the link says so itself
        finally:
            self._asks_raws = False

    def _settings_changed(self) -> None:
        """Somebody has set something: from here, or at the device itself."""
        self.listener.read_again()
        if self._sent:
            self._sent -= 1
        elif self.last is not None and self.last.edits:  # one that has begun anew counts from 0
            self.changed_there = "a setting was changed at the device, not from here"
            self.note(self.changed_there)

    def sent(self) -> None:
        """A setting was sent from here: the next change is ours."""
        self._sent += 1

    def _look_at_guards(self, sample: Sample) -> None:
        """The guards of the rig once more, here: where the device should have acted and has not, it is stopped."""
        rig = self.carried.project.rig
        if not self.is_ours or not rig.heats:
            return
        names = [probe.name for probe in rig.probes]
        for guard in rig.guards:
            if not isinstance(guard, Trip) or guard.side != "above":
                continue
            degC = sample.probes_degC.get(names.index(guard.probe))
            if degC is None or degC < guard.at_degC + 1.0 or sample.given <= 0.0:
                self._beyond_since.pop(guard.name, None)
                continue
            lasts_s = self.time_s - self._beyond_since.setdefault(guard.name, self.time_s)
            late = lasts_s > guard.delay_s + rig.probe.interval_s / 2  # with the next sample after it should have
            if late and not sample.stopped and not self._stop_is_under_way():
                self.stop()
                self.said = say("{probe} is beyond “{guard}” and the device still heats: it was stopped from here.",
                                probe=guard.probe, guard=guard.name)  # fmt: skip

    def _stop_is_under_way(self) -> bool:
        asked_s = self.stop_asked_s
        return asked_s is not None and self.stop_done_s is None and self._clock() - asked_s < _STOP_WITHIN_S

    def _look_for_rise(self, sample: Sample) -> None:
        """Say where much is given for long and nothing comes of it."""
        degC = sample.reading_degC
        if degC is None or sample.given < 0.5 or not self.carried.project.rig.heats:
            self._heats_since = None
            return
        if self._heats_since is None or abs(degC - self._heats_since[1]) > _NO_RISE_K:
            self._heats_since = self.time_s, degC
        lasts_s = self.time_s - self._heats_since[0]
        if lasts_s >= _NO_RISE_S:
            self.said = say(
                "On for {lasts}, no rise: its own thermostat? the plug?", lasts=figures(f"{lasts_s / 60:.0f}", "min")
            )

    def _go_on_with_task(self, sample: Sample) -> None:
        task = self.task
        if task is None:
            return
        since_s = self.time_s - self._task_begun_s
        if sample.mode != Mode.TEST:
            if since_s > LEASE_S + 3 * self.carried.project.rig.probe.interval_s:
                self._end_task(say("the device has ended it: at its limit, its heat, or for want of a word"))
            elif since_s > 0:
                return
            return
        drive = task.drive(sample, since_s)
        if drive is None:
            self._end_task(task.ended)
            self._back()
        else:
            self.orders.hold(
                task.holds, f"{100 * drive:.2f}", lambda answer, why: None if answer else self._refused(why)
            )

    def close(self) -> None:
        """Let go of the device: what is held ends by itself."""
        if self.task is not None and self.is_open:
            self.end_task()
        self.orders.close()
        self.listener.close()
        self.end_recording()
