"""One sample of a run, as sentences are made of it."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Sample:
    """What was read and decided at one sample; `direction` is 1 where it heats, −1 where it cools."""

    setpoint_degC: float
    measured_degC: float
    asked: float
    given: float
    delay_left_s: float
    code: int
    direction: int
