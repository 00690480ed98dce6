"""What the Bench does: the link to a device, what is expected of it, and what the user wants of it."""

import time
from collections.abc import Callable
from datetime import datetime
from functools import partial

from platformdirs import user_state_path
from PySide6.QtCore import QObject, QTimer, Signal

from kelvarn.desktop.language import fault_told, tell
from kelvarn.desktop.state.document import Document
from kelvarn.desktop.state.jobs import Jobs
from kelvarn.desktop.state.view import View
from kelvarn.files.writing import file_stem
from kelvarn.handover.carry import Carried
from kelvarn.handover.faults import HandoverError
from kelvarn.handover.settings import acting, fingerprint
from kelvarn.link.address import LinkAddress, link_address
from kelvarn.link.bench.first_hour import FirstHour, needs_before_heat
from kelvarn.link.bench.observer import Observer
from kelvarn.link.bench.provoking import LASTS_S, OPENS_S, SETPOINT_K, SETPOINT_S, Provocation
from kelvarn.link.bench.session import Session
from kelvarn.link.bench.sweep import FanFound
from kelvarn.link.bench.taking import TakingError, with_pairs, with_sweep
from kelvarn.link.faults import LinkError
from kelvarn.link.foreign_links import heard_at
from kelvarn.link.recording import RecordingError, log_of_recording
from kelvarn.model.bench import MOST_STEPS, FirstHourStep
from kelvarn.model.candidate import Candidate
from kelvarn.model.edit import with_fields
from kelvarn.sentence import figures, say

from .beside import Beside
from .expecting import Expecting
from .practice import PracticeProcess

_POLL_MS = 100
_SHOWS_AT_MOST_S, _SHOWS_AT_LEAST_S = 0.25, 1.0


class Bench(QObject):
    """The device beside which somebody stands.

    Args:
        document: the project, which keeps the steps of the first hour.
        view: what is looked at.
        jobs: computes what is expected.

    Signals:
        updated: there is more to show.
        moved: samples came; what is live is to be drawn anew.
    """

    updated = Signal()
    moved = Signal()

    def __init__(self, document: Document, view: View, jobs: Jobs) -> None:
        super().__init__()
        self._document, self._view, self._jobs = document, view, jobs
        self.at = Beside()
        self.all = [self.at]
        self.trouble = ""
        self._shown_at = 0.0
        self._expecting = Expecting(jobs, self.moved.emit)
        self.practice = PracticeProcess()
        self._timer = QTimer(self)
        self._timer.setInterval(_POLL_MS)
        self._timer.timeout.connect(self.poll)

    @property
    def candidate(self) -> Candidate:
        """The one that goes to the device: the chosen one, else the one that is looked at."""
        project = self._document.project
        return project.candidate(project.chosen) if project.chosen is not None else self._view.candidate(project)

    @property
    def session(self) -> Session | None:
        """The device that is looked at; None while there is none."""
        return self.at.session

    @property
    def sessions(self) -> list[Session]:
        """All devices that are listened to."""
        return [each.session for each in self.all if each.session is not None]

    # The link.

    def connect_to(self, text: str) -> bool:
        """Begin to listen to a device in place of the one that is looked at; whether its address is one."""
        self.close()
        try:
            address = link_address(text.strip())
            carried = self._carried()
        except (LinkError, HandoverError) as error:
            self.trouble = fault_told(error)
            self.updated.emit()
            return False
        self._begin(carried, address)
        return True

    def say(self, text: str) -> None:
        """Say something about the link that there is not yet."""
        self.trouble = text
        self.updated.emit()

    def hear(self, address: LinkAddress, told: Callable[[object], None]) -> None:
        """Listen to what a device at a broker tells; `told` is given what was heard, or the fault."""
        self._jobs.start("bench: hear", lambda: heard_at(address), told, waits=False)

    def another(self) -> None:
        """Look at a place for one more device; the others are listened to on."""
        if self.at.session is not None:
            self.all.append(Beside())
            self.look_at(len(self.all) - 1)

    def look_at(self, place: int) -> None:
        """Look at another of the devices. Nothing stays armed behind one's back."""
        self.at.armed_at_s = None
        self._expecting.stop()
        self.at = self.all[place]
        self.trouble = ""
        self.updated.emit()
        self.moved.emit()

    def _carried(self) -> Carried:
        project = self._document.project
        return Carried(acting(project), self.candidate, self._view.trial(project))

    def _begin(self, carried: Carried, address: LinkAddress) -> None:
        self.trouble = ""
        made = Beside(session=Session(carried, address))
        self.all[self.all.index(self.at)] = made
        self.at = made
        state = fingerprint(carried.project, carried.candidate)
        done = {
            each.step: each.found
            for each in self._document.project.first_hour
            if each.state == state and each.candidate == carried.candidate.name
        }
        assert made.session is not None
        made.first_hour = FirstHour(made.session, done, partial(self._step_done, made.session), self._view.scale)
        made.session.begin()
        self._timer.start()
        self.updated.emit()

    def close(self) -> None:
        """Let go of the device that is looked at; what is held ends by itself."""
        self._expecting.stop()
        place, session = self.all.index(self.at), self.at.session
        self.at = Beside()
        self.all[place] = self.at
        if not self.sessions:
            self._timer.stop()
        if session is not None:
            session.close()
            self.updated.emit()

    def close_all(self) -> None:
        """Let go of all of them."""
        for each in self.all:
            self.at = each
            self.close()
        self.all = [self.at]

    def practise(self, speed: float = 1.0) -> None:
        """Start a practice rig in a process of its own, and listen to it as to any device."""
        self.practice.end()
        project = self._document.project
        self.practice.begin(project, self.candidate.name, self._view.trial(project).name, speed)
        self.trouble = tell("The practice rig is built …")
        self.updated.emit()
        self._jobs.start("bench: practice", self.practice.where, self._practice_begins, waits=False)

    def _practice_begins(self, where: object) -> None:
        if isinstance(where, str) and where:
            self.connect_to(where)
        else:
            self.trouble = tell("The practice rig did not begin: `kelvarn practice` says why.")
            self.updated.emit()

    def end_practice(self) -> None:
        """End the practice rig, where one runs."""
        self.practice.end()

    # What goes on.

    def poll(self) -> None:
        """Take what has arrived, and show it now and then."""
        heard = False
        for each in self.all:
            if each.session is not None:
                heard = each.session.poll() or heard
            if each.first_hour is not None:
                each.first_hour.poll()
        session = self.at.session
        if session is None:
            return
        self._count_down(session)
        self._expecting.look(self.at, session)
        self._end_nudge(session)
        if session.is_open != self.at.was_open:
            self.at.was_open = session.is_open
            self.updated.emit()
        now = time.monotonic()
        if now - self._shown_at >= (_SHOWS_AT_MOST_S if heard else _SHOWS_AT_LEAST_S):
            self._shown_at = now
            self.moved.emit()

    def provoke(self, name: str) -> str:
        """Begin a provocation: the setpoint moved and back, or an event that somebody makes happen now.

        Args:
            name: of an event of the observer; empty for the setpoint.

        Returns:
            Why not, in a sentence; empty where it begins.
        """
        session = self.at.session
        if session is None or session.observer is None:
            return tell("Nothing is expected of it yet.")
        observer: Observer = session.observer.copy()
        names = [event.name for event in observer.events]
        place = names.index(name) if name else -1
        for_s = (observer.events[place].lasts_s or OPENS_S) if name else SETPOINT_S
        if not name and (why := session.hold("setpoint", f"{SETPOINT_K:g}")):
            return why
        said = name or tell("setpoint by {setpoint} K", setpoint=figures(f"{SETPOINT_K:+.0f}", ""))
        session.note(said)
        at_s, nudge_K = session.time_s, 0.0 if name else SETPOINT_K

        def work() -> Provocation | None:
            with_it, without = observer.future(LASTS_S, place, nudge_K, for_s), observer.future(LASTS_S)
            return None if with_it is None or without is None else Provocation(said, at_s, with_it, without)

        self._jobs.start("bench: provoke", work, self._take_provoked, waits=False)
        return ""

    def _take_provoked(self, found: object) -> None:
        if isinstance(found, Provocation):
            self.at.provoked = found
            self.moved.emit()

    def _end_nudge(self, session: Session) -> None:
        """The setpoint goes back after its time."""
        nudged = session.last is not None and session.last.nudged
        if nudged and self.at.provoked is not None and session.time_s - self.at.provoked.at_s >= SETPOINT_S:
            session.orders.release("setpoint")

    # What is done.

    def stop(self) -> None:
        """Stop heating, on every device that is listened to."""
        self.at.armed_at_s = None
        for session in self.sessions:
            session.stop()
        self.moved.emit()

    def arm(self, seconds: float = 10.0) -> str:
        """Let its plan begin after a countdown. Returns why not, in a sentence; empty where it counts."""
        session = self.at.session
        if session is None:
            return tell("There is no link.")
        why = session.may_order() or needs_before_heat(session, self.done)
        if not why:
            self.at.armed_at_s = time.monotonic() + seconds
            session.note(say("armed"))
        return why

    @property
    def counts_s(self) -> float | None:
        """Seconds until it begins; None where nothing is armed."""
        return None if self.at.armed_at_s is None else max(self.at.armed_at_s - time.monotonic(), 0.0)

    def _count_down(self, session: Session) -> None:
        if self.at.armed_at_s is not None and time.monotonic() >= self.at.armed_at_s:
            self.at.armed_at_s = None
            if why := session.order("begin", self._begin_answered):
                session.said = why
                return
            session.note(say("begins"))
            session.observer = None  # it begins anew, and so does what is beside it
            self.at.expected = self.at.future = None
            self.at.begins = True

    def _begin_answered(self, answer: object, why: str) -> None:
        if answer is None and self.at.session is not None:
            self.at.session.said = tell("It does not begin: {why}", why=why)

    @property
    def done(self) -> dict[str, str]:
        """Steps of the first hour that are done, with what they found."""
        return {} if self.at.first_hour is None else self.at.first_hour.done

    def _step_done(self, session: Session, key: str, found: str) -> None:
        project, law = self._document.project, session.carried.candidate
        made = FirstHourStep(
            step=key, candidate=law.name, state=fingerprint(session.carried.project, law),
            at=datetime.now().isoformat(timespec="minutes"), found=found[:300],
        )  # fmt: skip
        others = tuple(each for each in project.first_hour if (each.step, each.candidate) != (key, law.name))
        self._document.apply(
            with_fields(project, first_hour=(*others, made)[-MOST_STEPS:]), tell("a step of the first hour")
        )
        self.updated.emit()

    def send(self) -> str:
        """Send the settings that were edited here. Returns why not; empty where they are said."""
        session = self.at.session
        if session is None:
            return tell("There is no link.")
        why = session.may_order()
        for name, value in list(self.at.edits.items()):
            was = session.listener.values.get(name)
            said = f" was {was.value:.9g}" if was is not None and was.value is not None else ""  # for the device
            why = why or session.order(f"set {name} {value:.9g}{said}", self._sent)
            if why:
                break
            session.note(say("{name} set to {value}", name=name, value=figures(f"{value:g}", "")))
            del self.at.edits[name]
        self.updated.emit()
        return why

    def _sent(self, answer: object, text: str) -> None:
        session = self.at.session
        if session is not None and answer is None:
            session.said = text
        elif session is not None:
            session.sent()

    def use_sweep(self, place: int, found: FanFound, supply_V: float | None) -> None:
        """Take over into the rig what was found of a fan; as `with_sweep`."""
        project = with_sweep(self._document.project, place, found, supply_V)
        self._document.apply(project, tell("where the fan stands and starts"))

    def use_pairs(self) -> str:
        """Correct the control probe by the readings beside a reference. Returns why not; empty where it is done."""
        pairs = () if self.at.first_hour is None else tuple(self.at.first_hour.pairs)
        name = self._document.project.rig.probe.name
        try:
            self._document.apply(
                with_pairs(self._document.project, pairs), tell("correct {name} by a reference", name=name)
            )
        except TakingError as error:
            return fault_told(error)
        return tell("The rig has it now; hand the program over anew.")

    # Recording.

    def record(self) -> str:
        """Record into a file of the user's state folder. Returns why not; empty where it does."""
        if self.at.session is None:
            return tell("There is no link.")
        folder = user_state_path("kelvarn") / "recordings"
        name = f"{file_stem(self._document.project.name)}-{datetime.now():%Y-%m-%d-%H%M%S}.csv"
        try:
            folder.mkdir(parents=True, exist_ok=True)
            self.at.session.record(folder / name)
        except RecordingError as error:
            return fault_told(error)
        except OSError as error:
            return tell("{folder} cannot be made: {why}.", folder=folder, why=error.strerror)
        return ""

    def keep_and_fit(self) -> str:
        """End the recording and keep it as a log of the project. Returns why not; empty where it is one."""
        path = None if self.at.session is None else self.at.session.end_recording()
        if path is None:
            return tell("Nothing is recorded.")
        project = self._document.project
        try:
            log = log_of_recording(path, [each.name for each in project.logs])
        except RecordingError as error:
            return fault_told(error)
        self._document.apply(
            with_fields(project, logs=(*project.logs, log)), tell("keep the recording {log}", log=log.name)
        )
        return ""
