"""No law: the drive is set by hand, as in an open-loop step."""

from dataclasses import dataclass
from enum import IntEnum

from kelvarn.model.fixed import Fixed
from kelvarn.model.law import Way

from ..compiled import part
from ..decision import Decision
from .static import StaticCurve


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


def static_curve(law: Fixed, _setpoint_degC: float, _way: Way, ends: tuple[float, float]) -> StaticCurve:
    """Its drive over the temperature, between where least and most of it is called for."""
    line = ((ends[0], law.drive), (ends[1], law.drive))
    return StaticCurve(line, (), ())
