"""The goal: what must be kept where, and why."""

from typing import Self

from pydantic import model_validator

from kelvarn.sentence import say
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
            raise ValueError(say("a goal needs a lowest or a highest temperature"))
        if low is not None and high is not None and low >= high:
            lower, upper = (show(x, Quantity.TEMPERATURE) for x in (low, high))
            raise ValueError(
                say("the lowest temperature must be below the highest ({upper}), not {lower}", upper=upper, lower=lower)
            )
        return self

    def text(self, scale: Scale = Scale.CELSIUS) -> str:
        """It in words, such as "Part 58 … 62 °C, or the resin stays soft"."""
        low, high = (
            None if x is None else show(x, Quantity.TEMPERATURE, scale) for x in (self.low_degC, self.high_degC)
        )
        if low is None:
            said = say("{body} at most {high}", body=self.body, high=high)
        elif high is None:
            said = say("{body} at least {low}", body=self.body, low=low)
        else:
            said = say("{body} {low} … {high}", body=self.body, low=low, high=high)
        return say("{kept}, or {why}", kept=said, why=say(self.why)) if self.why else said
