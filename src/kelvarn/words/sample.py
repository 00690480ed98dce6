"""One sample of a run, as sentences are made of it."""

from dataclasses import dataclass
from typing import NamedTuple


@dataclass(frozen=True)
class Sample:
    """What was read and decided at one sample.

    Attributes:
        direction: 1 where it heats, −1 where all drives cool.
        both: some drives heat and some cool.
    """

    setpoint_degC: float
    measured_degC: float
    asked: float
    given: float
    delay_left_s: float
    code: int
    direction: int
    p: float = 0.0
    i: float = 0.0
    d: float = 0.0
    both: bool = False


class Term(NamedTuple):
    """A term of a law at a sample: what it is called, the drive it asks for, and its colour role."""

    name: str
    drive: float
    color: str
