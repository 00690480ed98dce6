"""A practice rig: plant and program in step, and what may happen to them."""

import dataclasses
import time
from collections.abc import Callable
from typing import NamedTuple

from kelvarn.handover.carry import Carried
from kelvarn.model.events import (
    ColdPart,
    DoorOpens,
    DrawOffRuns,
    DriveFault,
    Event,
    Load,
    ProbeFault,
    SupplyChange,
    SurroundingsChange,
)
from kelvarn.model.guards import PriceBelow
from kelvarn.model.project import Project
from kelvarn.studies.failure_kinds import failures_of

from .brain import Brain, brain_of
from .plant import PracticePlant

_OF_PLANT = (
    ColdPart, DoorOpens, DrawOffRuns, DriveFault, Load, ProbeFault, SupplyChange, SurroundingsChange,
)  # fmt: skip
_TICKS_A_SAMPLE, _SHORTEST_MS, _LONGEST_MS = 20, 10, 100
_WEEK_MS = 7 * 24 * 3_600_000
_POWER, _HANGS = "the power is cut", "the program hangs"


class Happening(NamedTuple):
    """Something that may be switched on and off.

    Attributes:
        name: in small letters, of one word: what a line calls it.
        text: what it is.
    """

    name: str
    text: str


@dataclasses.dataclass
class _Switch:
    happening: Happening
    switch: Callable[[bool], None]
    is_on: bool = False


class PracticeRig:
    """A device that is not there.

    Args:
        carried: the program that is its brain, with the rig that it drives.
        brain: where the program runs; None: in C where there is a compiler.
        seed: of the noise.
        week_ms: the clock of the day when it begins; None: this computer's.

    Raises:
        HandoverError: the candidate cannot be carried over.
    """

    def __init__(
        self, carried: Carried, brain: Brain | None = None, seed: int = 1, week_ms: int | None = None
    ) -> None:  # fmt: skip
        project = carried.project
        interval_ms = round(project.rig.probe.interval_s * 1000)
        self.tick_ms = min(max(interval_ms // _TICKS_A_SAMPLE, _SHORTEST_MS), _LONGEST_MS)
        events = _events(project)
        self.plant = PracticePlant(project.rig, self.tick_ms / 1000.0, [event for _, event in events], seed,
                                   carried.trial.start_degC)  # fmt: skip
        self.brain = brain or brain_of(carried)
        self._begins_ms = _now_in_week() if week_ms is None else week_ms
        self._carried = carried
        self.levels = (0.0,) * len(project.rig.drives)
        self._loads_closed = True
        self._powered, self._cut_at_ms, self._now_ms = True, 0, 0
        self._to_say = bytearray()
        self._switches = [
            _Switch(happening, lambda on, place=place: self.plant.switch(place, on=on))  # type: ignore[misc]
            for place, (happening, _) in enumerate(events)
        ]
        self._add_own(project)
        self._switch_on(0, by_watchdog=False)

    def _add_own(self, project: Project) -> None:
        """What happens to the board itself."""
        own: list[tuple[str, str, Callable[[bool], None]]] = [
            ("power", _POWER, self._cut_power), ("hang", _HANGS, lambda on: self.brain.hang(does=on)),
        ]  # fmt: skip
        for place, permit in enumerate(project.rig.permits):
            if permit.kind == "door_shut":
                text = f"“{permit.name}” is missing"
                own.append((f"permit_{place + 1}", text, lambda on, k=place: self.brain.contact(k, is_open=on)))  # type: ignore[misc]
        self._switches += [_Switch(Happening(name, text), switch) for name, text, switch in own]

    @property
    def time_s(self) -> float:
        """Since it began, in its own time."""
        return self._now_ms / 1000.0

    @property
    def happenings(self) -> list[tuple[Happening, bool]]:
        """What may happen, and whether it does."""
        return [(each.happening, each.is_on) for each in self._switches]

    def switch(self, name: str, *, on: bool | None = None) -> bool | None:
        """Switch something on or off; None: the other way. Returns whether it is on; None where there is none such."""
        for each in self._switches:
            if each.happening.name == name:
                wanted = not each.is_on if on is None else on
                if wanted != each.is_on:
                    each.is_on = wanted
                    each.switch(wanted)
                return each.is_on
        return None

    def press_reset(self) -> None:
        """Press its reset button."""
        if self._powered:
            self.brain.press_reset()

    def _cut_power(self, cut: bool) -> None:
        if cut:
            self._powered, self._cut_at_ms = False, self._now_ms
            self.levels, self._loads_closed = (0.0,) * len(self.levels), True
        else:
            self._switch_on(self._now_ms - self._cut_at_ms, by_watchdog=False)

    def _switch_on(self, away_ms: int, *, by_watchdog: bool) -> None:
        self._powered = True
        self.brain.power(away_ms, by_watchdog=by_watchdog)
        for each in self._switches:
            if each.is_on and each.happening.name != "power" and each.happening.name.startswith(("hang", "permit")):
                each.switch(True)

    def hear(self, letters: bytes) -> None:
        """What arrives on its line; without power nobody hears it."""
        if self._powered:
            self.brain.hear(letters)

    def spoken(self) -> bytes:
        """What it has said since the last time."""
        said = bytes(self._to_say) + (self.brain.spoken() if self._powered else b"")
        self._to_say.clear()
        return said

    def tick(self) -> None:
        """Let a tick pass."""
        if self._powered:
            self.brain.pins(self.plant.raws())
            price = None
            if any(isinstance(permit, PriceBelow) for permit in self._carried.project.rig.permits):
                price = 0.0
            self.brain.said((self._begins_ms + self._now_ms) % _WEEK_MS, price)
            ran = self.brain.run(self.tick_ms)
            self.levels, self._loads_closed = ran.levels, ran.loads_closed
            if not ran.quiet:
                self._to_say += self.brain.spoken()
                self._switch_on(0, by_watchdog=True)
        self.plant.step(self.levels, loads_closed=self._loads_closed)
        self._now_ms += self.tick_ms

    def close(self) -> None:
        """Let go of all that it takes."""
        self.brain.close()


def _now_in_week() -> int:
    day = time.localtime()
    return ((day.tm_wday * 24 + day.tm_hour) * 60 + day.tm_min) * 60000 + day.tm_sec * 1000


def _events(project: Project) -> list[tuple[Happening, Event]]:
    """What may happen to a rig: events of the project's trials, then every single failure of it."""
    found: list[tuple[Happening, Event]] = []
    names: set[str] = {"power", "hang"}
    seen: set[str] = set()
    for trial in project.trials:
        for event in trial.events:
            is_fault = isinstance(event, ProbeFault | DriveFault)
            if isinstance(event, _OF_PLANT) and not is_fault and event.name not in seen:
                seen.add(event.name)
                found.append((Happening(_word(event.kind, names), event.name), event))
    for failure in failures_of(project.rig):
        event = failure.event  # type: ignore[assignment]
        if isinstance(event, _OF_PLANT):
            word = getattr(event, "fault", "supply")
            size = getattr(event, "size_K", None)
            sign = "" if not size or word not in ("drift", "offset") else "_up" if size > 0 else "_down"
            found.append((Happening(_word(f"{word}{sign}", names), failure.text), event))
    return found


def _word(word: str, taken: set[str]) -> str:
    name, count = word, 2
    while name in taken:
        name, count = f"{word}_{count}", count + 1
    taken.add(name)
    return name
