"""The goal: what must be kept where, and why."""

from typing import Self

from pydantic import model_validator

from kelvarn.units import Quantity, Scale, show

from .bodies import temperature
from .fields import ModelBase, Name, OneLine, field


class Goal(ModelBase):
    """A body that matters, and between which temperatures it must stay."""

    body: Name = field(..., "What matters", "The body that must be kept; it need not be the one that is probed.")
    low_degC: float | None = temperature(None, "At least", "It must not be colder.", empty="no limit")
    high_degC: float | None = temperature(None, "At most", "It must not be hotter.", empty="no limit")
    why: OneLine = field("", "Why it matters", "What happens outside.", max_length=200)
    source: OneLine = field("", "Source", "Where the figures come from.", max_length=200)

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        low, high = self.low_degC, self.high_degC
        if low is None and high is None:
            raise ValueError("a goal needs a lowest or a highest temperature")
        if low is not None and high is not None and low >= high:
            lower, upper = (show(x, Quantity.TEMPERATURE) for x in (low, high))
            raise ValueError(f"the lowest temperature must be below the highest ({upper}), not {lower}")
        return self

    def text(self, scale: Scale = Scale.CELSIUS) -> str:
        """It in words, such as "Part 58 … 62 °C, or the resin stays soft"."""
        low, high = (
            None if x is None else show(x, Quantity.TEMPERATURE, scale) for x in (self.low_degC, self.high_degC)
        )
        if low is None:
            said = f"at most {high}"
        else:
            said = f"at least {low}" if high is None else f"{low} … {high}"
        return f"{self.body} {said}" + (f", or {self.why}" if self.why else "")
