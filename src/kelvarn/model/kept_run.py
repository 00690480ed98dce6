"""A run that is kept for good: its settings, its trial, what was measured, and its course."""

from typing import Annotated, Self

from pydantic import Field, model_validator

from kelvarn.sentence import say
from kelvarn.units import Quantity

from .candidate import Controller
from .fields import ModelBase, Name, OneLine, field, number
from .trial import Trial

MOST_SAMPLES = 1000
MOST_KEPT = 24
_Value = Annotated[float, Field(allow_inf_nan=False, ge=-1e6, le=1e6)]


class Figure(ModelBase):
    """A measure by its key; empty where the run had none."""

    measure: OneLine = field(..., "Measure", "Which one, as files write it.")
    value: float | None = number(None, Quantity.NUMBER, -1e300, 1e300, "Value", "In its base unit; empty without one.")


class KeptRun(ModelBase):
    """What is left of a run: it does not follow what becomes of the project."""

    name: Name = field(..., "Name", "What the run is called.")
    controller: Controller = field(..., "Controller", "The settings it ran with.")
    trial: Trial = field(..., "Trial", "Its plan and events.")
    figures: tuple[Figure, ...] = field((), "Measures", "What was measured.", max_length=200)
    every_s: float = number(..., Quantity.DURATION, 1e-3, 1e9, "Every", "Time between the samples that were kept.")
    degC: tuple[_Value, ...] = field(
        ..., "Temperature", "What was controlled, at each sample.", min_length=2, max_length=MOST_SAMPLES + 1
    )
    setpoint_degC: tuple[_Value, ...] = field(
        ..., "Setpoint", "At each sample.", min_length=2, max_length=MOST_SAMPLES + 1
    )
    drive: tuple[_Value, ...] = field(
        ..., "Drive", "What was given, at each sample.", min_length=2, max_length=MOST_SAMPLES + 1
    )
    shown: bool = field(True, "Shown", "Whether it lies under the strip.")

    @model_validator(mode="after")
    def _as_long(self) -> Self:
        if len({len(self.degC), len(self.setpoint_degC), len(self.drive)}) != 1:
            raise ValueError(say("the courses of a kept run must be of one length"))
        return self
