"""A curve of drive over temperature, by steps or as a ramp: what fans are run by."""

from itertools import pairwise
from typing import Literal, Self

from pydantic import model_validator

from kelvarn.sentence import say
from kelvarn.units import Quantity, show

from .bodies import temperature
from .fields import ModelBase, field, number
from .law import Edge, LawBase, Near, Way

MOST_STEPS = 12


class CurveStep(ModelBase):
    """From a temperature on, a drive; left again when the temperature has gone back by some kelvins."""

    from_degC: float = temperature(..., "From", "The step is taken when the temperature gets here.")
    drive: float = number(..., Quantity.DRIVE, 0.0, 1.0, "Drive", "What the step gives.")
    back_off_K: float = number(
        2.0, Quantity.DIFFERENCE, 0.0, 500.0, "Hysteresis", "The step is left when the temperature is this far back."
    )


class Curve(LawBase):
    """A curve of drive over temperature. Where the drive cools, more drive belongs to higher temperatures.

    Steps: each is taken at its temperature and left a hysteresis before it; below the first the drive is off. Ramp: the
    floor from the start temperature on, straight to all of it at the full temperature; off a hysteresis before the
    start.
    """

    strategies = ("Fan steps", "Fan ramp")
    has_steps = True
    law: Literal["curve"] = "curve"
    shape: Literal["steps", "ramp"] = field("steps", "Curve", "Whether it goes by steps or straight.")
    steps: tuple[CurveStep, ...] = field(
        tuple(CurveStep(from_degC=at, drive=drive) for at, drive in ((40.0, 0.3), (50.0, 0.6), (60.0, 1.0))),
        "Steps", "From each temperature on, its drive.", min_length=1, max_length=MOST_STEPS,
    )  # fmt: skip
    start_degC: float = temperature(40.0, "Starts at", "The drive begins here, at its floor.")
    full_degC: float = temperature(60.0, "Full at", "From here on the drive is full.")
    floor: float = number(0.3, Quantity.DRIVE, 0.0, 1.0, "Floor", "Drive at the start of the ramp.")
    back_off_K: float = number(
        2.0, Quantity.DIFFERENCE, 0.0, 500.0, "Hysteresis", "Off when the temperature is this far back from the start."
    )
    rate_per_s: float | None = number(
        None, Quantity.DRIVE_RATE, 1e-6, 1000.0, "Changes at most", "Largest change of the drive in a second."
    )
    levels: int | None = number(
        None, Quantity.NUMBER, 1, 1000, "Quantised to", "Levels between off and full that the drive is rounded to."
    )

    @model_validator(mode="after")
    def _steps_in_order(self) -> Self:
        ways = {(later.from_degC > earlier.from_degC) - (later.from_degC < earlier.from_degC)
                for earlier, later in pairwise(self.steps)}  # fmt: skip
        if len(ways) > 1 or 0 in ways:
            temperatures = ", ".join(show(step.from_degC, Quantity.TEMPERATURE) for step in self.steps)
            raise ValueError(
                say("the steps must follow one another in temperature, not {temperatures}", temperatures=temperatures)
            )
        for earlier, later in pairwise(self.steps):
            if later.drive <= earlier.drive:
                first, second = (show(step.drive, Quantity.DRIVE) for step in (earlier, later))
                raise ValueError(
                    say("each step must give more than the one before, but {second} follows {first}", second=second,
                        first=first)
                )  # fmt: skip
        if self.start_degC == self.full_degC:
            raise ValueError(say("the ramp must be full at another temperature than it starts at"))
        return self

    @property
    def strategy(self) -> str:
        return f"fan {self.shape}"

    @classmethod
    def begins_as(cls, strategy: str, near: Near) -> Self:
        # The drive rises away from the setpoint: above it for a drive that cools, below it for one that heats.
        r, up = near.setpoint_degC, -near.way.sign
        steps = tuple(CurveStep(from_degC=r + up * away, drive=drive)
                      for away, drive in ((-5.0, 0.3), (0.0, 0.6), (5.0, 1.0)))  # fmt: skip
        return cls(steps=steps, start_degC=r - 5 * up, full_degC=r + 5 * up).as_strategy(strategy)

    def as_strategy(self, strategy: str) -> Self:
        return self._with(shape=strategy.removeprefix("Fan "))

    def range_of_drive(self, way: Way) -> tuple[float, float]:
        return 0.0, self.steps[-1].drive if self.shape == "steps" else 1.0

    def with_step_added(self) -> Self:
        """With one more step: beyond the last one, or where that gives all, between the last two."""
        steps, last = self.steps, self.steps[-1]
        if len(steps) == 1:
            added = CurveStep(from_degC=last.from_degC - 5.0, drive=last.drive / 2, back_off_K=last.back_off_K)
            steps = (added, last)
        else:
            before = steps[-2]
            if last.drive < 1.0:
                apart = last.from_degC - before.from_degC
                drive = min(1.0, 2 * last.drive - before.drive)
                steps = (*steps, CurveStep(from_degC=last.from_degC + apart, drive=drive, back_off_K=last.back_off_K))
            else:
                middle = CurveStep(
                    from_degC=(before.from_degC + last.from_degC) / 2,
                    drive=(before.drive + last.drive) / 2,
                    back_off_K=last.back_off_K,
                )
                steps = (*steps[:-1], middle, last)
        return self._with(steps=steps)

    def with_step_removed(self, index: int) -> Self:
        """Without a step."""
        return self._with(steps=self.steps[:index] + self.steps[index + 1 :])

    def _with(self, **changed: object) -> Self:
        kept = {name: getattr(self, name) for name in type(self).model_fields}
        return type(self).model_validate({**kept, **changed})

    @property
    def rulers(self) -> tuple[str, ...]:
        return ("start_degC", "full_degC", "floor", "back_off_K") if self.shape == "ramp" else ()

    @property
    def more(self) -> tuple[str, ...]:
        return "rate_per_s", "levels"

    @property
    def more_words(self) -> str:
        return say("slew, levels")

    @property
    def idle(self) -> frozenset[str]:
        return frozenset({"steps"} if self.shape == "ramp" else {"start_degC", "full_degC", "floor", "back_off_K"})

    def edges(self, setpoint_degC: float, way: Way) -> tuple[Edge, ...]:
        del setpoint_degC, way
        if self.shape == "ramp":
            return (
                Edge(("start_degC",), self.start_degC, "starts", up=True),
                Edge(("full_degC",), self.full_degC, "is full", up=True),
            )
        return tuple(
            Edge(("steps", k, "from_degC"), step.from_degC, f"goes to {show(step.drive, Quantity.DRIVE)}", up=True)
            for k, step in enumerate(self.steps)
        )

    @property
    def delays_s(self) -> float:
        return 1.0 / self.rate_per_s if self.rate_per_s else 0.0

    @property
    def step_count(self) -> int:
        return len(self.steps) if self.shape == "steps" else 0

    def edge_value(self, path: tuple[str | int, ...], degC: float, setpoint_degC: float, way: Way) -> float:
        return degC

    def check(self, way: Way) -> None:
        more, acts = ("lower", "heats") if way.sign > 0 else ("higher", "cools")
        if self.shape == "ramp":
            first, last = self.start_degC, self.full_degC
            if way.sign * (last - first) > 0:
                start, full = (show(x, Quantity.TEMPERATURE) for x in (first, last))
                raise ValueError(
                    say("starts at {start} and is full at {full}; where the drive {acts}, full must be at "
                        "the {more} one", start=start, full=full, acts=acts, more=more)
                )  # fmt: skip
        elif len(self.steps) > 1 and way.sign * (self.steps[-1].from_degC - self.steps[0].from_degC) > 0:
            raise ValueError(
                say("gives more the other way; where the drive {acts}, more belongs to {more} temperatures", acts=acts,
                    more=more)
            )  # fmt: skip
