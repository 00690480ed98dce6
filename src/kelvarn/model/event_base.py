"""What every event has, and what a kind of event must say of itself."""

import math
from abc import abstractmethod
from typing import TYPE_CHECKING, Any, ClassVar, Self

from pydantic import model_validator

from kelvarn.sentence import joined, say
from kelvarn.units import Quantity, Scale, minutes

from .fields import ModelBase, Name, OneLine, field, number

if TYPE_CHECKING:
    from .rig import Rig

LONGEST_S = 366 * 86400.0


class EventBase(ModelBase):
    """What every event has.

    Attributes:
        what: the kind as the menu says it.
        color: its colour role; `faint` where it is a ground rather than a block.
    """

    what: ClassVar[str] = ""
    color: ClassVar[str] = "gold"
    faint: ClassVar[bool] = False

    name: Name = field(..., "Name", "What the event is called.")
    at_s: float = number(..., Quantity.DURATION, 0.0, LONGEST_S, "Starts", "When it begins.")
    lasts_s: float | None = number(
        None, Quantity.DURATION, 0.01, LONGEST_S, "Lasts", "How long it lasts; empty means to the end.",
        empty="to the end",
    )  # fmt: skip
    again_s: float | None = number(
        None, Quantity.DURATION, 0.1, LONGEST_S, "Again every",
        "It happens again and again, from start to start; empty: once.", empty="once",
    )  # fmt: skip

    @property
    def end_s(self) -> float:
        """When it ends, s; inf where it goes on to the end."""
        return math.inf if self.lasts_s is None else self.at_s + self.lasts_s

    def text(self, scale: Scale) -> str:
        """The event in a few words."""
        del scale
        return joined(" ", (self.name, minutes(self.lasts_s))) if self.lasts_s is not None else self.name

    @classmethod
    @abstractmethod
    def begins_as(cls, rig: "Rig") -> dict[str, Any]:
        """Name and fields of a new one on a rig."""

    @classmethod
    def missing(cls, rig: "Rig") -> str:
        """What a rig lacks for such an event, in a sentence; empty where it lacks nothing."""
        del rig
        return ""

    why: OneLine = field("", "Because", "What it stands for, or why it is tried.", max_length=200)

    @model_validator(mode="after")
    def _repeats(self) -> Self:
        if self.again_s is not None and (self.lasts_s is None or self.lasts_s > self.again_s):
            raise ValueError(
                say("event “{event}” happens again before it has ended; let it last less long", event=self.name)
            )
        return self

    def shown(self) -> tuple[str, ...]:
        """Fields shown for it, besides its name, start and duration."""
        return tuple(name for name in type(self).model_fields if name not in (*EventBase.model_fields, "kind"))

    def check(self, rig: "Rig") -> None:
        """Raise ValueError where it does not fit a rig, beyond the names it refers to."""


def heading_of(what: str) -> str:
    """What happens, as a heading: "the power is cut" as "Power is cut"."""
    return what.removeprefix("the ").removeprefix("a ").capitalize()
