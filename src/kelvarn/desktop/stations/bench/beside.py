"""One of the devices beside which somebody stands: its session, and what is expected of it."""

from dataclasses import dataclass, field

from kelvarn.link.bench.expected import Expected
from kelvarn.link.bench.first_hour import FirstHour
from kelvarn.link.bench.observer import Future
from kelvarn.link.bench.provoking import Provocation
from kelvarn.link.bench.session import Session


@dataclass
class Beside:
    """A device.

    Attributes:
        session, first_hour: None before a link was opened.
        expected, future: what the trial promised, and what is expected from an instant on.
        provoked: what it was put to last.
        cold_s: when it is cold again; None while nobody asks.
        edits: settings that were edited here and not sent.
        armed_at_s: when its plan is let begin, by the clock of the computer.
        future_at_s, was_open, begins: what was last worked out of it, and shown.
    """

    session: Session | None = None
    first_hour: FirstHour | None = None
    expected: Expected | None = None
    future: tuple[float, Future] | None = None
    provoked: Provocation | None = None
    cold_s: float | None = None
    edits: dict[str, float] = field(default_factory=dict)
    armed_at_s: float | None = None
    future_at_s: float = 0.0
    was_open: bool = False
    begins: bool = False
