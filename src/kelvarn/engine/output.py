"""What drives give at rest: their output at a constant demand, with top, floor, off-below and end stops."""

from collections.abc import Sequence
from functools import lru_cache

from kelvarn.model.rig import Rig

from .drives import flow_at, pwm_level, share_out, valve_place
from .layout import lay_out, sharing_of
from .plant import Drive, DriveKind, DriveState


@lru_cache(maxsize=4)
def outputs_at(rig: Rig, demand: float) -> tuple[float, ...]:
    """Output of each drive at a constant demand, −1…1; relays and slow windows, averaged over their switching.

    Kept, since every run of a study begins with it.
    """
    return tuple(outputs_of(lay_out(rig).drives, sharing_of(rig), demand))


def outputs_of(drives: Sequence[Drive], sharing: int, demand: float) -> list[float]:
    """The same of records."""
    states = [DriveState() for _ in drives]
    share_out(demand, sharing, drives, states)
    return [_output(drive, state.demand) for drive, state in zip(drives, states, strict=True)]


def _output(drive: Drive, demand: float) -> float:
    if drive.kind == DriveKind.PWM:
        return pwm_level(drive, demand)
    if drive.kind == DriveKind.VALVE:
        return min(max(valve_place(drive, demand), drive.lowest), drive.highest)
    return demand


def flow_of(drive: Drive, output: float) -> float:
    """Relative flow or power that an output makes: little or none of a fan below its stall, once it turns."""
    return flow_at(drive, output, 1.0, True) if drive.moves else output


def mean_output(drives: Sequence[Drive], outputs: Sequence[float], way: float) -> float:
    """Mean output of the drives that are asked at a demand of a sign, by their shares; a fan that stalls gives nothing.

    Of a fan it is its duty, as a law gives it, whatever flow that makes.

    Args:
        drives, outputs: all of them.
        way: 1 for a demand above 0, −1 below.
    """
    ways = {drive.direction for drive in drives}
    asked = [(drive.share, output if _acts(drive, output) else 0.0)
             for drive, output in zip(drives, outputs, strict=True)
             if len(ways) == 1 or drive.direction == way]  # fmt: skip
    return sum(share * output for share, output in asked) / sum(share for share, _ in asked)


def _acts(drive: Drive, output: float) -> bool:
    """Whether a drive does something at an output: a fan below its stall does not."""
    return drive.kind != DriveKind.PWM or not drive.moves or output * drive.volts >= drive.stalls_below
