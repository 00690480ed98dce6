"""The steps of the first hour: what each asks of the device, and what it makes of the answer."""

import math

from kelvarn.handover.points import OUTPUT, PROBE, Mode
from kelvarn.link.lines import Sample
from kelvarn.link.practice.plant import PracticePlant
from kelvarn.model.guards import Trip
from kelvarn.sentence import figures, say
from kelvarn.units import Quantity, show

from .hour_step import ABOVE_K, WITHIN_S, HourStep
from .tasks import HoldDuty, step_test

OUTPUT_ON_S, LONGEST_ON_S, SILENT_S = 5.0, 120.0, 12.0
"""For how long an output is on alone, at least and at most; within which one that is held no more must be off."""
_SHOWS = 1.5  # times what counts as warmer: so much it would get with the plug in
_WARMED_K, _RISES_K = 1.0, 0.7
_NUDGE, _NUDGE_S, _NUDGE_K, _STEP_S = 0.3, 300.0, 1.5, 4 * 3600.0
_NUDGE_SHOWN = show(_NUDGE, Quantity.DRIVE)


class Answers(HourStep):
    """It answers: who it is."""

    def begin(self) -> None:
        """As `HourStep.begin`."""
        self.hour.said = say("Waiting for the device.")

    def poll(self, last: Sample) -> None:
        """As `HourStep.poll`."""
        found = self.session.listener.identity
        if found is None or not self.session.is_open:
            return
        if not self.session.is_ours:
            self.fail(
                say(
                    "It has the program of state {state}, the project is of another: hand it over anew.",
                    state=found.state,
                )
            )
            return
        degC = say("no reading") if last.reading_degC is None else self.shown(last.reading_degC)
        self.finish(say("settings alike, state {state}; reads {reading}", state=found.state, reading=degC))


class Probes(HourStep):
    """Probes named, by warming one after another."""

    def begin(self) -> None:
        """As `HourStep.begin`."""
        name = self.session.carried.project.rig.probes[0].name
        self.hour.said = say("Warm “{probe}” in your hand.", probe=name)

    def poll(self, last: Sample) -> None:
        """As `HourStep.poll`."""
        if self.hour.asks_yes_no:
            return
        probes = self.session.carried.project.rig.probes
        moved = [0.0 if was is None or now is None else abs(now - was)
                 for was, now in zip(self.base, self.readings(), strict=True)]  # fmt: skip
        most = max(range(len(moved)), key=lambda k: moved[k])
        others = max((each for k, each in enumerate(moved) if k != most), default=0.0)
        if moved[most] < _WARMED_K or moved[most] < 2.5 * others:
            return
        wanted = probes[self.place].name
        if most == self.place:
            self._next_probe()
        else:
            self._moved = most
            self.hour.said = say(
                "“{moved}” moves, not “{wanted}”. Let the two change places?", moved=probes[most].name, wanted=wanted
            )
            self.hour.asks_yes_no = True

    def _next_probe(self) -> None:
        probes = self.session.carried.project.rig.probes
        self.place += 1
        if self.place >= len(probes):
            if len(probes) == 1:
                self.finish(say("{probe} is the one in your hand", probe=probes[0].name))
            else:
                self.finish(say("{many} probes named by warming each", many=len(probes)))
            return
        self.base = self.readings()
        self.hour.said = say("Now warm “{probe}”.", probe=probes[self.place].name)

    def yes(self, is_so: bool) -> None:
        """As `HourStep.yes`."""
        if not is_so:
            self.fail(say("Look at the wires: another probe moves than the one that was warmed."))
            return
        points = [point.name for point in self.session.listener.points if point.name.startswith(PROBE)]
        self.say(f"bind {points[self.place]} {self._moved + 1}")
        self._next_probe()


class Readings(HourStep):
    """Readings right, beside a reference that is typed."""

    def begin(self) -> None:
        """As `HourStep.begin`."""
        self.hour.said = say("Type what the reference shows, once the reading stands still.")

    def poll(self, last: Sample) -> None:
        """Nothing comes by itself: the reference is typed."""


class Outputs(HourStep):
    """Each output alone, with nothing plugged in."""

    def begin(self) -> None:
        """As `HourStep.begin`."""
        self._names = [point.name for point in self.session.listener.points if point.name.startswith(OUTPUT)]
        self._all_would_show = True
        self.take_in_hand()
        self.next("wait", say("Its own loop is let go of."))

    def poll(self, last: Sample) -> None:
        """As `HourStep.poll`."""
        drives = self.session.carried.project.rig.drives
        rises = [now - was for was, now in zip(self.base, self.readings(), strict=True)
                 if was is not None and now is not None]  # fmt: skip
        probe = self.session.carried.project.rig.probe
        most_K = _RISES_K + 6 * probe.noise_K + probe.resolution_K
        if self.session.carried.project.rig.heats and max(rises, default=0.0) > most_K:
            self.session.stop()
            self.fail(say("It gets warmer: is what it heats unplugged? It was stopped."))
            return
        if self.phase == "wait" and last.mode == Mode.HAND and not last.stopped:
            self._on_s, shows = self._on_time_s(most_K)
            self._all_would_show = self._all_would_show and shows
            self.base = self.readings()
            lasts = show(self._on_s, Quantity.DURATION)
            self.next(
                "on",
                say(
                    "“{drive}” is on for {lasts}: so long would show whether it heats.",
                    drive=drives[self.place].name,
                    lasts=lasts,
                ),
            )
            self.session.orders.hold(self._names[self.place], "100", self.take_answer)
        elif self.phase == "wait" and self.passed_s() > WITHIN_S:
            self.fail(self.reason(say("The device does not let go of its own loop.")))
        elif self.phase == "on" and self.answered is not None and self.answered[0] is None:
            self.fail(self.answered[1])
        elif self.phase == "on" and self.passed_s() >= self._on_s:
            self.session.orders.release()
            self.session.order("hold all 0 1 " + str(self.session.orders.token))
            self.next(
                "asked", say("Was “{drive}” heard or seen to go on, and off again?", drive=drives[self.place].name)
            )
            self.hour.asks_yes_no = True

    def yes(self, is_so: bool) -> None:
        """As `HourStep.yes`."""
        drives = self.session.carried.project.rig.drives
        if not is_so:
            self.fail(say("Look at the wire and the pin of “{drive}”.", drive=drives[self.place].name))
            return
        self.place += 1
        if self.place < len(drives):
            self.next("wait", say("The next one."))
            return
        names = ", ".join(drive.name for drive in drives)
        self.leave_hand()
        warmer = (
            say("nothing got warmer")
            if self._all_would_show
            else say("that nothing got warmer says little: it heats too slowly")
        )
        self.finish(say("{drives}: each was seen alone; {warmer}", drives=names, warmer=warmer))

    def cancel(self) -> None:
        """As `HourStep.cancel`."""
        self.leave_hand()

    def _on_time_s(self, most_K: float) -> tuple[float, bool]:
        """For how long an output is on, so that it would show whether it heats; and whether it would."""
        rig, last = self.session.carried.project.rig, self.session.last
        if not rig.heats or last is None or last.reading_degC is None:
            return OUTPUT_ON_S, True
        plant = PracticePlant(rig, rig.probe.interval_s, start_degC=last.reading_degC, quiet=True)
        levels = [1.0 if k == self.place else 0.0 for k in range(len(rig.drives))]
        begins = plant.degC()
        while plant.time_s < LONGEST_ON_S:
            plant.step(levels)
            if max(now - was for was, now in zip(begins, plant.degC(), strict=True)) > _SHOWS * most_K:
                return max(plant.time_s, OUTPUT_ON_S), True
        return LONGEST_ON_S, False


class TripProved(HourStep):
    """A trip seen to act, by a limit that returns by itself."""

    def begin(self) -> None:
        """As `HourStep.begin`."""
        rig = self.session.carried.project.rig
        trips = [(place, guard) for place, guard in enumerate(rig.guards) if isinstance(guard, Trip)]
        if not trips:
            self.fail(say("The rig has no trip: add one at Trial, hand it over, and prove it."))
            return
        names, readings = [probe.name for probe in rig.probes], self.readings()
        nearest = []
        for place, guard in trips:
            degC = readings[names.index(guard.probe)]
            if degC is not None:
                away = guard.at_degC - degC if guard.side == "above" else degC - guard.at_degC
                nearest.append((away, place, guard))
        if not nearest:
            self.fail(say("No probe of a trip reads anything."))
            return
        away, self._trip_place, self._trip = min(nearest, key=lambda each: each[0])
        if away < 0:
            self.fail(say("“{trip}” is beyond its level already: let it cool down.", trip=self._trip.name))
            return
        self.session.orders.hold("limits", f"{math.ceil(away) + 1}", self.take_answer)
        self.next("near", say("The level of “{trip}” is below the reading for a while.", trip=self._trip.name))

    def poll(self, last: Sample) -> None:
        """As `HourStep.poll`."""
        is_on = bool(last.tripped >> self._trip_place & 1)
        if self.answered is not None and self.answered[0] is None:
            self.fail(self.answered[1])
        elif self.phase == "near" and is_on:
            acts = (
                say("the load is cut")
                if self._trip.does == "load"
                else say("gives {given}", given=show(last.given, Quantity.DRIVE))
            )
            self.next("acted", say("“{trip}” acts: {acts}. Its level returns.", trip=self._trip.name, acts=acts))
            self.session.orders.release("limits")
        elif self.phase == "near" and self.passed_s() > self._trip.delay_s + WITHIN_S + 3 * self.interval_s():
            self.fail(say("“{trip}” did not act.", trip=self._trip.name))
        elif self.phase == "acted" and self.passed_s() > 8.0 + self.interval_s():
            self.say("reset all")
            self.next("reset", say("Reset is pressed."))
        elif self.phase == "reset" and not is_on:
            self.finish(say("“{trip}” was seen to act and to be reset", trip=self._trip.name))
        elif self.phase == "reset" and self.passed_s() > WITHIN_S + 3 * self.interval_s():
            self.fail(self.reason(say("“{trip}” does not let go.", trip=self._trip.name)))


class StopWorks(HourStep):
    """Esc, and then silence."""

    def begin(self) -> None:
        """As `HourStep.begin`."""
        self.session.stop_asked_s = self.session.stop_done_s = None
        self._took_s = 0.0
        self.take_in_hand()
        self.next("wait", say("Its own loop is let go of."))

    def poll(self, last: Sample) -> None:
        """As `HourStep.poll`."""
        asked, done = self.session.stop_asked_s, self.session.stop_done_s
        if self.phase == "wait" and last.mode == Mode.HAND and not last.stopped:
            self.session.orders.hold("all", "100", self.take_answer)
            self.next("press", say("All is on, with nothing plugged in. Press Esc now."))
        elif self.phase == "press" and asked is not None and done is not None and last.stopped and last.given <= 0.0:
            self._took_s = done - asked
            self.take_in_hand()
            self.next("held", say("Stopped. Now something small is held, and nothing more is said."))
        elif self.phase == "press" and self.passed_s() > LONGEST_ON_S:
            self.fail(say("Esc was not pressed."))
        elif self.phase == "held" and last.mode == Mode.HAND and not last.stopped:
            self.session.order(f"hold all 5 2 {self.session.orders.token}", self.take_answer)
            self.next("silent", say("Nothing is said: it must end by itself."))
        elif self.phase in ("press", "silent") and self.answered is not None and self.answered[0] is None:
            self.fail(self.answered[1])
        elif self.phase == "silent" and self.passed_s() > 2.5 and not last.held:
            if last.given > 0.0:
                self.fail(say("What was held did not end by itself: do not heat with this device."))
                return
            self.leave_hand()
            self.finish(
                say(
                    "off {took} after Esc; by itself 2 s after the last word",
                    took=figures(f"{1000 * self._took_s:.0f}", "ms"),
                )
            )
        elif self.phase in ("wait", "held", "silent") and self.passed_s() > SILENT_S:
            self.fail(self.reason(say("It did not do what was asked.")))

    def cancel(self) -> None:
        """As `HourStep.cancel`."""
        self.leave_hand()


class WhichWay(HourStep):
    """Which way it goes, by a nudge."""

    def begin(self) -> None:
        """As `HourStep.begin`."""
        self.take_in_hand()
        self.next("wait", say("A nudge begins."))

    def poll(self, last: Sample) -> None:
        """As `HourStep.poll`."""
        session, rig = self.session, self.session.carried.project.rig
        if self.phase == "wait":
            if last.mode == Mode.HAND and not last.stopped:
                task = HoldDuty(_NUDGE, _NUDGE_S, name=say("nudge"))
                if why := session.begin_task(task, self.limit_degC()):
                    self.fail(why)
                else:
                    self.next("nudge", say("{drive} for a while.", drive=_NUDGE_SHOWN))
            elif self.passed_s() > WITHIN_S:
                self.fail(self.reason(say("It stays stopped.")))
            return
        was, now = self.base[rig.control_index], last.reading_degC
        moved = 0.0 if was is None or now is None else now - was
        if abs(moved) >= max(_NUDGE_K, 8 * rig.probe.noise_K):
            session.end_task()
            self.leave_hand()
            if (moved > 0) == rig.heats:
                warmer = moved > 0
                self.finish(
                    say("more drive, warmer: as the rig says") if warmer else say("more drive, colder: as the rig says")
                )
            else:
                self.fail(say("It goes the other way than the rig says: look at the wires, or at what the drive does."))
        elif session.task is None:
            self.leave_hand()
            self.fail(say("Nothing moved: its own thermostat? the plug? {more}", more=session.said))


class OneStep(HourStep):
    """A step, recorded."""

    def begin(self) -> None:
        """As `HourStep.begin`."""
        self.take_in_hand()
        self.next("wait", say("The step begins."))

    def poll(self, last: Sample) -> None:
        """As `HourStep.poll`."""
        session, rig = self.session, self.session.carried.project.rig
        if self.phase == "wait":
            if last.mode == Mode.HAND and not last.stopped:
                task = step_test(_NUDGE, _STEP_S, rig.probe.noise_K)
                if why := session.begin_task(task, self.limit_degC(2 * ABOVE_K)):
                    self.fail(why)
                else:
                    self.next("step", say("{drive} until it is steady, or at its limit.", drive=_NUDGE_SHOWN))
            elif self.passed_s() > WITHIN_S:
                self.fail(self.reason(say("It stays stopped.")))
        elif session.task is None and last.mode != Mode.TEST:
            was, now = self.base[rig.control_index], last.reading_degC
            moved = 0.0 if was is None or now is None else now - was
            self.leave_hand()
            self.finish(
                say(
                    "{drive} brought {change} in {time}",
                    drive=_NUDGE_SHOWN,
                    change=show(moved, Quantity.DIFFERENCE, self.hour.scale, sign=True),
                    time=show(self.passed_s(), Quantity.DURATION),
                )
            )


ACTS: dict[str, type[HourStep]] = {
    "answers": Answers, "probes": Probes, "readings": Readings, "outputs": Outputs, "alarm": TripProved,
    "stop": StopWorks, "way": WhichWay, "step": OneStep,
}  # fmt: skip
"""What each step does, by its key."""
