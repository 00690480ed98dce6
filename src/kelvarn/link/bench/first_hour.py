"""The first hour beside a device: eight steps, each of which asks, acts, is off again, and is ticked with its finding.

Nothing that can heat comes before the trip was seen to act and stop was seen to work: which way the drive goes is found
out after these. What each step does stands in `hour_steps.py`.
"""

from collections.abc import Callable
from typing import NamedTuple

from kelvarn.model.guards import NoRise, Trip
from kelvarn.sentence import joined, say
from kelvarn.units import Quantity, Scale, show

from .hour_step import HourStep
from .hour_steps import ACTS
from .session import Session


class Step(NamedTuple):
    """A step: its key, title, a few words on it, what it asks, and the steps that it needs before it."""

    key: str
    title: str
    short: str
    asks: str
    needs: tuple[str, ...] = ()


STEPS = (
    Step("answers", say("It answers"), say("who it is"),
         say("The device says who it is, and is compared with the project.")),
    Step("probes", say("Probes named"), say("by warming one"),
         say("Warm a probe in your hand: which one moves?"), ("answers",)),
    Step("readings", say("Readings right"), say("beside a reference"),
         say("Hold the probe beside a reference, in ice water or a kettle."), ("probes",)),
    Step("outputs", say("Each output alone"), say("with nothing plugged in"),
         say("Unplug what it heats. Each output goes on alone, until it would show whether it heats."), ("answers",)),
    Step("alarm", say("Trip proved"), say("by a limit that returns"),
         say("The levels of trips come nearer for a while, until one acts."), ("answers",)),
    Step("stop", say("Stop works"), say("Esc, and then silence"),
         say("Still unplugged: all is on, press Esc. Then nothing is said: what was held must end."), ("outputs",)),
    Step("way", say("Which way"), say("by a nudge"),
         say("Plug in what it heats. A nudge: does it go the way that the rig says?"), ("outputs", "alarm", "stop")),
    Step("step", say("One step"), say("kept as a log"), say("A step, recorded as a log: how it answers."), ("way",)),
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

    Attributes:
        current: the step that is looked at.
        said: what is said of it; asks_yes_no: whether that is a question.
        pairs: of readings beside a reference, what was read and what it shows.
    """

    def __init__(
        self, session: Session, done: dict[str, str], on_done: Callable[[str, str], None],
        scale: Scale = Scale.CELSIUS,
    ) -> None:  # fmt: skip
        self.session, self.done, self.scale = session, done, scale
        self._on_done = on_done
        self.current = next((key for key in KEYS if key not in done), KEYS[-1])
        self.said = ""
        self.asks_yes_no = False
        self.pairs: list[tuple[float, float]] = []
        self.act: HourStep | None = None

    @property
    def busy(self) -> bool:
        """Whether a step is under way."""
        return self.act is not None

    @property
    def step(self) -> Step:
        """The step that is looked at."""
        return STEPS[KEYS.index(self.current)]

    def choose(self, key: str) -> None:
        """Look at another step; what is under way ends."""
        self.cancel()
        self.current, self.said = key, self.done.get(key, "")

    def why_not(self) -> str:
        """Why the step cannot begin, in a sentence; empty where it can."""
        missing = [STEPS[KEYS.index(key)].title for key in self.step.needs if key not in self.done]
        if missing:
            return say("First: {steps}.", steps=joined(", ", missing))
        return "" if self.current == "answers" else self.session.may_order()

    def begin(self) -> None:
        """Begin the step."""
        if said := self.why_not():
            self.said = said
            return
        self.said, self.asks_yes_no = "", False
        self.act = ACTS[self.current](self)
        self.act.begin()

    def cancel(self) -> None:
        """End what is under way: everything goes back."""
        act, self.act, self.asks_yes_no = self.act, None, False
        if act is None:
            return
        self.session.orders.release_all()
        if self.session.task is not None:
            self.session.end_task()
        act.cancel()

    def poll(self) -> None:
        """Look at what has come; called after each `Session.poll`."""
        if self.act is not None and self.session.last is not None:
            self.act.poll(self.session.last)

    def yes(self, is_so: bool) -> None:
        """What was asked is so, or not."""
        if self.asks_yes_no and self.act is not None:
            self.asks_yes_no = False
            self.act.yes(is_so)

    def reference(self, true_degC: float) -> None:
        """What the reference shows, beside the reading now."""
        last = self.session.last
        if self.current != "readings" or not self.busy or last is None or last.reading_degC is None:
            return
        self.pairs.append((last.reading_degC, true_degC))
        worst = max((true - read for read, true in self.pairs), key=abs)
        text = joined(
            "; ",
            (say("{true} shows {read}", true=self._shown(true), read=self._shown(read)) for read, true in self.pairs),
        )
        off = show(abs(worst), Quantity.DIFFERENCE, self.scale)
        self.finish(say("{pairs}; off by {off} at most", pairs=text, off=off))

    def _shown(self, degC: float) -> str:
        return show(degC, Quantity.TEMPERATURE, self.scale)

    def finish(self, found: str) -> None:
        """The step is done."""
        self.act, self.asks_yes_no, self.said = None, False, found
        self.done[self.current] = found
        self._on_done(self.current, found)

    def fail(self, why: str) -> None:
        """The step is not done; everything goes back."""
        self.cancel()
        self.said = why


def needs_before_heat(session: Session, done: dict[str, str]) -> str:
    """What must be seen before anything heats over the link, in a sentence; empty where all was."""
    rig = session.carried.project.rig
    has_trip = any(isinstance(guard, Trip | NoRise) for guard in rig.guards)
    missing = [step.title for step in STEPS if step.key in BEFORE_HEAT and step.key not in done]
    if missing:
        return say("Before anything heats over a link, in the first hour: {steps}.", steps=joined(", ", missing))
    return "" if has_trip else say("The rig has no trip that would end it.")
