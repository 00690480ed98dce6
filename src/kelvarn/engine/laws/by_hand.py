"""No law: the drive is set by hand, as in an open-loop step."""

from dataclasses import dataclass
from enum import IntEnum

from kelvarn.model.fixed import Fixed
from kelvarn.model.law import Way

from ..compiled import part
from ..decision import Decision


class Code(IntEnum):
    """What happened at a sample."""

    BY_HAND = 40


@dataclass(slots=True)
class ByHand:
    """Settings."""

    drive: float


MODEL = Fixed


def settings_of(model: Fixed, _way: Way) -> ByHand:
    """Settings of its model."""
    return ByHand(model.drive)


@part
def ask(law: ByHand, out: Decision) -> None:
    """One sample."""
    out.asked = out.proposed = law.drive
    out.p = out.i = out.d = out.delay_left_s = 0.0
    out.law_code = Code.BY_HAND
