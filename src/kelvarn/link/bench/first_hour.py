"""The first hour beside a device: eight steps, each of which asks, acts, is off again, and is ticked with its finding.

Nothing that can heat comes before the trip was seen to act and stop was seen to work: which way the drive goes is found
out after these.
"""

import math
from collections.abc import Callable
from typing import NamedTuple

from kelvarn.link.lines import Answer, Sample
from kelvarn.link.practice.plant import PracticePlant
from kelvarn.model.guards import NoRise, Trip
from kelvarn.units import Quantity, Scale, show

from .session import HAND, TEST, Session
from .tasks import HoldDuty, step_test

OUTPUT_ON_S, LONGEST_ON_S, SILENT_S = 5.0, 120.0, 12.0
"""For how long an output is on alone, at least and at most; within which one that is held no more must be off."""
_SHOWS = 1.5  # times what counts as warmer: so much it would get with the plug in
_WARMED_K, _RISES_K = 1.0, 0.7
_NUDGE, _NUDGE_S, _NUDGE_K, _STEP_S = 0.3, 300.0, 1.5, 4 * 3600.0
_ABOVE_K = 20.0
_WITHIN_S = 10.0


class Step(NamedTuple):
    """A step: its key, title, a few words on it, what it asks, and the steps that it needs before it."""

    key: str
    title: str
    short: str
    asks: str
    needs: tuple[str, ...] = ()


STEPS = (
    Step("answers", "It answers", "who it is", "The device says who it is, and is compared with the project."),
    Step("probes", "Probes named", "by warming one", "Warm a probe in your hand: which one moves?", ("answers",)),
    Step("readings", "Readings right", "beside a reference",
         "Hold the probe beside a reference, in ice water or a kettle.", ("probes",)),
    Step("outputs", "Each output alone", "with nothing plugged in",
         "Unplug what it heats. Each output goes on alone, until it would show whether it heats.", ("answers",)),
    Step("alarm", "Trip proved", "by a limit that returns",
         "The levels of trips come nearer for a while, until one acts.", ("answers",)),
    Step("stop", "Stop works", "Esc, and then silence",
         "Press Esc. Then nothing is said: what was held must end.", ("answers",)),
    Step("way", "Which way", "by a nudge",
         "Plug in what it heats. A nudge: does it go the way that the rig says?", ("outputs", "alarm", "stop")),
    Step("step", "One step", "kept as a log", "A step, recorded as a log: how it answers.", ("way",)),
)  # fmt: skip
KEYS = tuple(step.key for step in STEPS)
BEFORE_HEAT = ("outputs", "alarm", "stop")
"""Steps that must have been done before anything heats over a link."""


class FirstHour:
    """Goes through the steps.

    Args:
        session: the device.
        done: steps that are done already, by key with what they found.
        on_done: told a step that is done, and what it found.
        scale: that sentences speak in.
    """

    def __init__(
        self, session: Session, done: dict[str, str], on_done: Callable[[str, str], None],
        scale: Scale = Scale.CELSIUS,
    ) -> None:  # fmt: skip
        self.session, self.done, self._on_done, self._scale = session, done, on_done, scale
        self.current = next((key for key in KEYS if key not in done), KEYS[-1])
        self.busy = False
        self.said = ""
        self.asks_yes_no = False
        self.pairs: list[tuple[float, float]] = []
        self._place = 0
        self._phase = ""
        self._since_s = self._on_s = 0.0
        self._shows = True
        self._base: list[float | None] = []
        self._answered: tuple[Answer | None, str] | None = None

    @property
    def step(self) -> Step:
        """The step that is looked at."""
        return STEPS[KEYS.index(self.current)]

    def choose(self, key: str) -> None:
        """Look at another step; what is under way ends."""
        if self.busy:
            self.cancel()
        self.current, self.said = key, self.done.get(key, "")

    def why_not(self) -> str:
        """Why the step cannot begin, in a sentence; empty where it can."""
        missing = [STEPS[KEYS.index(key)].title for key in self.step.needs if key not in self.done]
        if missing:
            return f"First: {', '.join(missing)}."
        return "" if self.current in ("answers",) else self.session.may_order()

    def begin(self) -> None:
        """Begin the step."""
        if said := self.why_not():
            self.said = said
            return
        self.busy, self.said, self._place, self._phase, self.asks_yes_no = True, "", 0, "", False
        self._since_s = self.session.time_s
        self._base = self._readings()
        getattr(self, f"_begin_{self.current}")()

    def cancel(self) -> None:
        """End what is under way: everything goes back."""
        was, self.busy, self.asks_yes_no = self.busy, False, False
        if not was:
            return
        self.session.orders.release_all()
        if self.session.task is not None:
            self.session.end_task()
        if self.current == "outputs" or self._phase == "silent":
            self._leave_hand()

    def poll(self) -> None:
        """Look at what has come; called after each `Session.poll`."""
        if self.busy and self.session.last is not None:
            getattr(self, f"_poll_{self.current}")(self.session.last)

    def yes(self, is_so: bool) -> None:
        """What was asked is so, or not."""
        if not self.asks_yes_no:
            return
        self.asks_yes_no = False
        if self.current == "outputs":
            self._output_seen(is_so)
        elif self.current == "probes":
            self._bind(is_so)

    def reference(self, true_degC: float) -> None:
        """What the reference shows, beside the reading now."""
        last = self.session.last
        if self.current != "readings" or not self.busy or last is None or last.reading_degC is None:
            return
        self.pairs.append((last.reading_degC, true_degC))
        offs = [true - shown for shown, true in self.pairs]
        worst = max(offs, key=abs)
        text = "; ".join(f"{self._shown(true)} shows {self._shown(shown)}" for shown, true in self.pairs)
        self._finish(f"{text}; off by {show(abs(worst), Quantity.DIFFERENCE, self._scale)} at most")

    # Helpers.

    def _readings(self) -> list[float | None]:
        last = self.session.last
        count = len(self.session.carried.project.rig.probes)
        return [None if last is None else last.probes_degC.get(k) for k in range(count)]

    def _shown(self, degC: float) -> str:
        return show(degC, Quantity.TEMPERATURE, self._scale)

    def _passed_s(self) -> float:
        return self.session.time_s - self._since_s

    def _next(self, phase: str, said: str) -> None:
        self._phase, self._since_s, self.said, self._answered = phase, self.session.time_s, said, None

    def _finish(self, found: str) -> None:
        self.busy = self.asks_yes_no = False
        self.said = found
        self.done[self.current] = found
        self._on_done(self.current, found)

    def _fail(self, why: str) -> None:
        self.cancel()
        self.busy, self.said = False, why

    def _say(self, line: str) -> None:
        self.session.order(line, self._take_answer)

    def _take_answer(self, answer: Answer | None, why: str) -> None:
        self._answered = answer, why

    def _leave_hand(self) -> None:
        self.session.orders.release_all()
        self.session.order("mode own")
        if self.session.carried.project.rig.heats:
            self.session.stop()  # its own loop would heat, and nobody is done yet

    # It answers.

    def _begin_answers(self) -> None:
        self.said = "Waiting for the device."

    def _poll_answers(self, last: Sample) -> None:
        found = self.session.listener.identity
        if found is None or not self.session.is_open:
            return
        if not self.session.is_ours:
            self._fail(f"It has the program of state {found.state}, the project is of another: hand it over anew.")
            return
        degC = "no reading" if last.reading_degC is None else self._shown(last.reading_degC)
        self._finish(f"settings alike, state {found.state}; reads {degC}")

    # Probes named.

    def _begin_probes(self) -> None:
        name = self.session.carried.project.rig.probes[0].name
        self.said = f"Warm “{name}” in your hand."

    def _poll_probes(self, last: Sample) -> None:
        if self.asks_yes_no:
            return
        probes = self.session.carried.project.rig.probes
        moved = [0.0 if was is None or now is None else abs(now - was)
                 for was, now in zip(self._base, self._readings(), strict=True)]  # fmt: skip
        most = max(range(len(moved)), key=lambda k: moved[k])
        others = max((each for k, each in enumerate(moved) if k != most), default=0.0)
        if moved[most] < _WARMED_K or moved[most] < 2.5 * others:
            return
        wanted = probes[self._place].name
        if most == self._place:
            self._next_probe()
        else:
            self._moved = most
            self.said = f"“{probes[most].name}” moves, not “{wanted}”. Let the two change places?"
            self.asks_yes_no = True

    def _next_probe(self) -> None:
        probes = self.session.carried.project.rig.probes
        self._place += 1
        if self._place >= len(probes):
            self._finish(", ".join(f"{probe.name} is the one in your hand" for probe in probes[:1])
                         if len(probes) == 1 else f"{len(probes)} probes named by warming each")  # fmt: skip
            return
        self._base = self._readings()
        self.said = f"Now warm “{probes[self._place].name}”."

    def _bind(self, is_so: bool) -> None:
        if not is_so:
            self._fail("Look at the wires: another probe moves than the one that was warmed.")
            return
        points = [point.name for point in self.session.listener.points if point.name.startswith("probe_")]
        self._say(f"bind {points[self._place]} {self._moved + 1}")
        self._next_probe()

    # Readings right.

    def _begin_readings(self) -> None:
        self.said = "Type what the reference shows, once the reading stands still."

    def _poll_readings(self, last: Sample) -> None:
        """Nothing comes by itself: the reference is typed."""

    # Each output alone.

    def _begin_outputs(self) -> None:
        self._names = [point.name for point in self.session.listener.points if point.name.startswith("out_")]
        self._say("again")
        self._say("mode hand")
        self._next("wait", "Its own loop is let go of.")

    def _poll_outputs(self, last: Sample) -> None:
        drives = self.session.carried.project.rig.drives
        rises = [now - was for was, now in zip(self._base, self._readings(), strict=True)
                 if was is not None and now is not None]  # fmt: skip
        probe = self.session.carried.project.rig.probe
        most_K = _RISES_K + 6 * probe.noise_K + probe.resolution_K
        if self.session.carried.project.rig.heats and max(rises, default=0.0) > most_K:
            self.session.stop()
            self._fail("It gets warmer: is what it heats unplugged? It was stopped.")
            return
        if self._phase == "wait" and last.mode == HAND:
            self._on_s, self._shows = self._on_time_s(most_K)
            self._base = self._readings()
            lasts = show(self._on_s, Quantity.DURATION)
            self._next("on", f"“{drives[self._place].name}” is on for {lasts}: so long would show whether it heats.")
            self.session.orders.hold(self._names[self._place], "100", self._take_answer)
        elif self._phase == "wait" and self._passed_s() > _WITHIN_S:
            self._fail(self._reason("The device does not let go of its own loop."))
        elif self._phase == "on" and self._answered is not None and self._answered[0] is None:
            self._fail(self._answered[1])
        elif self._phase == "on" and self._passed_s() >= self._on_s:
            self.session.orders.release()
            self.session.order("hold all 0 1 " + str(self.session.orders.token))
            self._next("asked", f"Was “{drives[self._place].name}” heard or seen to go on, and off again?")
            self.asks_yes_no = True

    def _reason(self, otherwise: str) -> str:
        return self._answered[1] if self._answered is not None and self._answered[1] else otherwise

    def _output_seen(self, is_so: bool) -> None:
        drives = self.session.carried.project.rig.drives
        if not is_so:
            self._fail(f"Look at the wire and the pin of “{drives[self._place].name}”.")
            return
        self._place += 1
        if self._place < len(drives):
            self._next("wait", "The next one.")
            return
        names = ", ".join(drive.name for drive in drives)
        self._leave_hand()
        warmer = "nothing got warmer" if self._shows else "that nothing got warmer says little: it heats too slowly"
        self._finish(f"{names}: each was seen alone; {warmer}")

    def _on_time_s(self, most_K: float) -> tuple[float, bool]:
        """For how long an output is on, so that it would show whether it heats; and whether it would."""
        rig, last = self.session.carried.project.rig, self.session.last
        if not rig.heats or last is None or last.reading_degC is None:
            return OUTPUT_ON_S, True
        plant = PracticePlant(rig, rig.probe.interval_s, start_degC=last.reading_degC, quiet=True)
        levels = [1.0 if k == self._place else 0.0 for k in range(len(rig.drives))]
        begins = plant.degC()
        while plant.time_s < LONGEST_ON_S:
            plant.step(levels)
            if max(now - was for was, now in zip(begins, plant.degC(), strict=True)) > _SHOWS * most_K:
                return max(plant.time_s, OUTPUT_ON_S), True
        return LONGEST_ON_S, False

    # Trip proved.

    def _begin_alarm(self) -> None:
        rig = self.session.carried.project.rig
        trips = [(place, guard) for place, guard in enumerate(rig.guards) if isinstance(guard, Trip)]
        if not trips:
            self._fail("The rig has no trip: add one at Trial, hand it over, and prove it.")
            return
        names, readings = [probe.name for probe in rig.probes], self._readings()
        nearest = []
        for place, guard in trips:
            degC = readings[names.index(guard.probe)]
            if degC is not None:
                away = guard.at_degC - degC if guard.side == "above" else degC - guard.at_degC
                nearest.append((away, place, guard))
        if not nearest:
            self._fail("No probe of a trip reads anything.")
            return
        away, self._trip_place, self._trip = min(nearest, key=lambda each: each[0])
        if away < 0:
            self._fail(f"“{self._trip.name}” is beyond its level already: let it cool down.")
            return
        self.session.orders.hold("limits", f"{math.ceil(away) + 1}", self._take_answer)
        self._next("near", f"The level of “{self._trip.name}” is below the reading for a while.")

    def _poll_alarm(self, last: Sample) -> None:
        is_on = bool(last.tripped >> self._trip_place & 1)
        if self._answered is not None and self._answered[0] is None:
            self._fail(self._answered[1])
        elif self._phase == "near" and is_on:
            acts = "the load is cut" if self._trip.does == "load" else f"gives {100 * last.given:.0f} %"
            self._next("acted", f"“{self._trip.name}” acts: {acts}. Its level returns.")
            self.session.orders.release("limits")
        elif self._phase == "near" and self._passed_s() > self._trip.delay_s + _WITHIN_S + 3 * self._interval_s():
            self._fail(f"“{self._trip.name}” did not act.")
        elif self._phase == "acted" and self._passed_s() > 8.0 + self._interval_s():
            self._say("reset all")
            self._next("reset", "Reset is pressed.")
        elif self._phase == "reset" and not is_on:
            self._finish(f"“{self._trip.name}” was seen to act and to be reset")
        elif self._phase == "reset" and self._passed_s() > _WITHIN_S + 3 * self._interval_s():
            self._fail(self._reason(f"“{self._trip.name}” does not let go."))

    def _interval_s(self) -> float:
        return self.session.carried.project.rig.probe.interval_s

    # Stop works.

    def _begin_stop(self) -> None:
        self.session.stop_asked_s = self.session.stop_done_s = None
        self._say("again")
        self._next("press", "Press Esc now.")

    def _poll_stop(self, last: Sample) -> None:
        asked, done = self.session.stop_asked_s, self.session.stop_done_s
        if self._phase == "press" and asked is not None and done is not None and last.stopped:
            self._took_s = done - asked
            self._say("again")
            self._say("mode hand")
            self._next("held", "Stopped. Now something small is held, and nothing more is said.")
        elif self._phase == "held" and last.mode == HAND and not last.stopped:
            self.session.order(f"hold all 5 2 {self.session.orders.token}", self._take_answer)
            self._next("silent", "Nothing is said: it must end by itself.")
        elif self._phase == "silent" and self._answered is not None and self._answered[0] is None:
            self._fail(self._answered[1])
        elif self._phase == "silent" and self._passed_s() > 2.5 and last.mode == HAND and not last.held:
            if last.given > 0.0:
                self._fail("What was held did not end by itself: do not heat with this device.")
                return
            self._leave_hand()
            self._finish(f"off {1000 * self._took_s:.0f} ms after Esc; by itself 2 s after the last word")
        elif self._phase in ("held", "silent") and self._passed_s() > SILENT_S:
            self._fail(self._reason("It did not do what was asked."))

    # Which way.

    def _begin_way(self) -> None:
        self._say("again")
        self._next("wait", "A nudge begins.")

    def _limit_degC(self) -> float:
        """Where a test ends: well above what it reads, and below each trip."""
        rig = self.session.carried.project.rig
        trips = [guard.at_degC for guard in rig.guards if isinstance(guard, Trip) and guard.side == "above"]
        highest = max((degC for degC in self._readings() if degC is not None), default=20.0)
        return min([highest + _ABOVE_K, *(each - 1.0 for each in trips if each - 1.0 > highest)])

    def _poll_way(self, last: Sample) -> None:
        session, rig = self.session, self.session.carried.project.rig
        if self._phase == "wait":
            if not last.stopped:
                task = HoldDuty(_NUDGE, _NUDGE_S, name="nudge")
                if why := session.begin_task(task, self._limit_degC()):
                    self._fail(why)
                else:
                    self._next("nudge", f"{100 * _NUDGE:.0f} % for a while.")
            elif self._passed_s() > _WITHIN_S:
                self._fail(self._reason("It stays stopped."))
            return
        was, now = self._base[rig.control_index], last.reading_degC
        moved = 0.0 if was is None or now is None else now - was
        if abs(moved) >= max(_NUDGE_K, 8 * rig.probe.noise_K):
            session.end_task()
            self._off_again()
            if (moved > 0) == rig.heats:
                word = "warmer" if moved > 0 else "colder"
                self._finish(f"more drive, {word}: as the rig says")
            else:
                self._fail("It goes the other way than the rig says: look at the wires, or at what the drive does.")
        elif session.task is None:
            self._off_again()
            self._fail(f"Nothing moved: its own thermostat? the plug? {session.said}")

    def _off_again(self) -> None:
        if self.session.carried.project.rig.heats:
            self.session.stop()

    # One step.

    def _begin_step(self) -> None:
        self._say("again")
        self._next("wait", "The step begins.")

    def _poll_step(self, last: Sample) -> None:
        session, rig = self.session, self.session.carried.project.rig
        if self._phase == "wait":
            if not last.stopped:
                task = step_test(_NUDGE, _STEP_S, rig.probe.noise_K)
                if why := session.begin_task(task, self._limit_degC() + _ABOVE_K):
                    self._fail(why)
                else:
                    self._next("step", f"{100 * _NUDGE:.0f} % until it is steady, or at its limit.")
            elif self._passed_s() > _WITHIN_S:
                self._fail(self._reason("It stays stopped."))
        elif session.task is None and last.mode != TEST:
            was, now = self._base[rig.control_index], last.reading_degC
            moved = 0.0 if was is None or now is None else now - was
            self._off_again()
            self._finish(f"{100 * _NUDGE:.0f} % brought {show(moved, Quantity.DIFFERENCE, self._scale, sign=True)} "
                         f"in {show(self._passed_s(), Quantity.DURATION)}")  # fmt: skip


def needs_before_heat(session: Session, done: dict[str, str]) -> str:
    """What must be seen before anything heats over the link, in a sentence; empty where all was."""
    rig = session.carried.project.rig
    has_trip = any(isinstance(guard, Trip | NoRise) for guard in rig.guards)
    missing = [step.title for step in STEPS if step.key in BEFORE_HEAT and step.key not in done]
    if missing:
        return f"Before anything heats over a link, in the first hour: {', '.join(missing)}."
    return "" if has_trip else "The rig has no trip that would end it."
