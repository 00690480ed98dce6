"""What a controller decides at one sample."""

from dataclasses import dataclass


@dataclass(slots=True)
class Decision:
    """What was decided at one sample, step by step; drives 0…1, below 0 where they cool."""

    setpoint_degC: float = 0.0
    nudge_K: float = 0.0  # by which somebody has moved it by hand; negated where the law is mirrored
    asked: float = 0.0  # by the law, whatever its limits
    proposed: float = 0.0  # by the law, inside its limits
    given: float = 0.0  # after all that rules over the law
    p: float = 0.0
    i: float = 0.0
    d: float = 0.0
    delay_left_s: float = 0.0  # of a delay that the law's code speaks of
    law_code: int = 0
    guard_code: int = 0
    alarm_code: int = 0
    tripped: int = 0  # a bit for each guard of the rig that has tripped, whether it rules or not
    drives_cut: bool = False  # a contactor takes the supply from the drives
    loads_cut: bool = False  # what heats by itself is switched off
    stopped: bool = False  # by hand: nothing heats
    alone: int = -1  # the one drive that takes what is given; below 0: they share it
    ready: bool = False  # the reading is inside the band around the setpoint
