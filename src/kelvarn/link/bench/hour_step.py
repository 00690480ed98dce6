"""What a step of the first hour is made of: it asks, acts, is off again, and is ticked or not."""

from abc import ABC, abstractmethod
from typing import Protocol

from kelvarn.link.lines import Answer, Sample
from kelvarn.units import Quantity, Scale, show

from .session import Session
from .tasks import limit_degC_of_test

WITHIN_S = 10.0
"""Within which a device does what it was asked."""
ABOVE_K = 20.0
"""How far above what it reads a test ends."""


class Hour(Protocol):
    """What a step knows of the first hour that it belongs to."""

    session: Session
    scale: Scale
    said: str
    asks_yes_no: bool

    def finish(self, found: str) -> None:
        """The step is done."""

    def fail(self, why: str) -> None:
        """It is not; everything goes back."""


class HourStep(ABC):
    """A step under way.

    Args:
        hour: that it belongs to.
    """

    def __init__(self, hour: Hour) -> None:
        self.hour, self.session = hour, hour.session
        self.place, self.phase, self.since_s = 0, "", hour.session.time_s
        self.answered: tuple[Answer | None, str] | None = None
        self.base = self.readings()

    @abstractmethod
    def begin(self) -> None:
        """Begin to ask."""

    @abstractmethod
    def poll(self, last: Sample) -> None:
        """Look at a sample."""

    def yes(self, is_so: bool) -> None:
        """What was asked is so, or not."""
        return  # of a step that asks nothing

    def cancel(self) -> None:
        """It ends before its time."""
        return  # of a step that leaves nothing on

    def readings(self) -> list[float | None]:
        """What each probe reads now."""
        last = self.session.last
        count = len(self.session.carried.project.rig.probes)
        return [None if last is None else last.probes_degC.get(k) for k in range(count)]

    def shown(self, degC: float) -> str:
        """A temperature as it is read."""
        return show(degC, Quantity.TEMPERATURE, self.hour.scale)

    def passed_s(self) -> float:
        """Since its phase began."""
        return self.session.time_s - self.since_s

    def interval_s(self) -> float:
        """Between two samples."""
        return self.session.carried.project.rig.probe.interval_s

    def next(self, phase: str, said: str) -> None:
        """Go on to another phase."""
        self.phase, self.since_s, self.answered = phase, self.session.time_s, None
        self.hour.said = said

    def finish(self, found: str) -> None:
        """It is done."""
        self.hour.finish(found)

    def fail(self, why: str) -> None:
        """It is not done; everything goes back."""
        self.hour.fail(why)

    def say(self, line: str) -> None:
        """Say an order; its answer is kept."""
        self.session.order(line, self.take_answer)

    def take_answer(self, answer: Answer | None, why: str) -> None:
        """Keep an answer."""
        self.answered = answer, why

    def reason(self, otherwise: str) -> str:
        """Why the device did not do it, in its own words where there are any."""
        return self.answered[1] if self.answered is not None and self.answered[1] else otherwise

    def take_in_hand(self) -> None:
        """Let go of stop with its own loop off: wherever the link is lost from now on, nothing heats."""
        self.say("mode hand")
        self.say("again")

    def leave_hand(self) -> None:
        """Nothing is held any more. What heats stays stopped, in hand, until somebody lets it begin."""
        self.session.orders.release_all()
        if self.session.carried.project.rig.heats:
            self.session.stop()
        else:
            self.session.order("mode own")

    def limit_degC(self, above_K: float = ABOVE_K) -> float:
        """Where a test ends: so far above what it reads, and below each trip."""
        highest = max((degC for degC in self.readings() if degC is not None), default=20.0)
        return limit_degC_of_test(self.session.carried.project.rig, highest + above_K)
