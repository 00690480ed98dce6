"""No law: the drive is set by hand, as in an open-loop step."""

from dataclasses import dataclass
from enum import IntEnum

from kelvarn.model.fixed import Fixed
from kelvarn.model.law import Way
from kelvarn.units import Quantity, Scale, show

from ..compiled import part
from ..decision import Decision
from ..sample import Sample, Term


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


def terms(model: Fixed, at: Sample) -> list[Term]:
    """It has none."""
    del model, at
    return []


def why(model: Fixed, _at: Sample, _scale: Scale) -> str:
    """What it did at a sample, in words."""
    return f"set to {show(model.drive, Quantity.DRIVE)} by hand"
