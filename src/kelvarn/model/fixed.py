"""No controller: a fixed duty, as a candidate or for an open-loop step."""

from typing import Literal, Self

from kelvarn.units import Quantity

from .fields import number
from .law import LawBase, Near


class Fixed(LawBase):
    """The drive stays where it was set by hand, whatever the temperature does."""

    strategies = ("Fixed duty",)
    switches = True  # it asks for no more than it is given
    law: Literal["fixed"] = "fixed"
    drive: float = number(
        0.5, Quantity.DRIVE, -1.0, 1.0, "Drive", "What the drive is set to; below 0 it cools.",
        more="further from rest", ruler=(0.0, 1.0), log=False,
    )  # fmt: skip

    @property
    def strategy(self) -> str:
        return "fixed duty"

    @classmethod
    def begins_as(cls, strategy: str, near: Near) -> Self:
        del strategy, near
        return cls()

    def as_strategy(self, strategy: str) -> Self:
        return self

    @property
    def rulers(self) -> tuple[str, ...]:
        return ("drive",)


class Hand(Fixed):
    """A fixed duty that was another one until the run begins, as in an open-loop step. It is no candidate."""

    before: float = number(0.0, Quantity.DRIVE, -1.0, 1.0, "Before", "What the drive was until the run begins.")
