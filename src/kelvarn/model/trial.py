"""A trial: what a candidate is put through, and the marks it is judged by."""

from itertools import pairwise
from typing import Annotated, Literal

from pydantic import Field, model_validator

from kelvarn.units import Quantity

from .fields import Name, Part, number, other
from .mark import Mark
from .names import check_unique
from .rig import temperature

LONGEST_S = 366 * 86400.0


class SetpointChange(Part):
    """From this instant the setpoint goes to a value, at once or along a ramp."""

    at_s: float = number(..., Quantity.DURATION, 0.0, LONGEST_S, "At", "When the change begins.")
    to_degC: float = temperature(..., "Setpoint", "Where the setpoint goes.")
    ramp_K_per_s: float | None = number(
        None, Quantity.RAMP, 1e-6, 1000.0, "Ramp", "How fast it goes there; empty means at once."
    )


class Plan(Part):
    """The setpoint over trial time."""

    changes: tuple[SetpointChange, ...] = other(
        ..., "Changes", "Setpoint changes in order of time.", min_length=1, max_length=500
    )

    @model_validator(mode="after")
    def _in_order(self) -> "Plan":
        times = [change.at_s for change in self.changes]
        if times[0] != 0:
            raise ValueError(f"the first setpoint change must be at 0 s, not {times[0]:g} s")
        for earlier, later in pairwise(times):
            if later <= earlier:
                raise ValueError(
                    f"setpoint changes must follow one another in time; {later:g} s comes after {earlier:g} s"
                )
        return self


class EventBase(Part):
    """What every event has."""

    name: Name = other(..., "Name", "What the event is called.")
    at_s: float = number(..., Quantity.DURATION, 0.0, LONGEST_S, "Starts", "When it begins.")
    lasts_s: float | None = number(
        None, Quantity.DURATION, 0.01, LONGEST_S, "Lasts", "How long it lasts; empty means to the end."
    )


class DoorOpens(EventBase):
    """A door: an added conductance from a body to the surroundings."""

    kind: Literal["door"] = "door"
    body: Name = other(..., "From body", "The body that loses heat through it.")
    conductance_W_per_K: float = number(
        ..., Quantity.CONDUCTANCE, 0.0, 1e6, "Extra loss", "Conductance to the surroundings while open."
    )


class SurroundingsChange(EventBase):
    """The surroundings get warmer or colder for a while."""

    kind: Literal["surroundings"] = "surroundings"
    change_K: float = number(
        ..., Quantity.DIFFERENCE, -300.0, 1000.0, "Change", "How much warmer (or colder, below 0) they get."
    )


class Load(EventBase):
    """Heat brought into a body, or taken out of it, by something else than the drive."""

    kind: Literal["load"] = "load"
    body: Name = other(..., "Into body", "The body that gets the heat.")
    power_W: float = number(..., Quantity.POWER, -1e7, 1e7, "Power", "Heat brought in; below 0 it is taken out.")


Event = Annotated[DoorOpens | SurroundingsChange | Load, Field(discriminator="kind")]


class Trial(Part):
    """A setpoint plan, events, how it starts and what is asked of the candidates."""

    name: Name = other(..., "Name", "What the trial is called.")
    duration_s: float = number(..., Quantity.DURATION, 1.0, LONGEST_S, "Duration", "How long the trial runs.")
    plan: Plan = other(..., "Plan", "The setpoint over time.")
    events: tuple[Event, ...] = other((), "Events", "What happens meanwhile.", max_length=200)
    start_degC: float | None = temperature(
        None, "Starts at", "Temperature of every body at the start; empty for a cold start."
    )
    band_K: float = number(
        0.5, Quantity.DIFFERENCE, 0.001, 500.0, "Band", "How near to the setpoint counts as settled."
    )
    seed: int = number(1, Quantity.NUMBER, 0, 2**32 - 1, "Seed", "Which noise is drawn; the same seed, the same noise.")
    marks: tuple[Mark, ...] = other((), "Marks", "What is asked of the candidates.", max_length=60)

    @model_validator(mode="after")
    def _inside(self) -> "Trial":
        check_unique([event.name for event in self.events], "event")
        for change in self.plan.changes:
            if change.at_s >= self.duration_s:
                raise ValueError(
                    f"a setpoint change at {change.at_s:g} s lies beyond the end of the trial ({self.duration_s:g} s)"
                )
        for event in self.events:
            if event.at_s >= self.duration_s:
                raise ValueError(
                    f"event “{event.name}” at {event.at_s:g} s lies beyond the end of the trial ({self.duration_s:g} s)"
                )
        names = {event.name for event in self.events}
        for mark in self.marks:
            if mark.event is not None and mark.event not in names:
                raise ValueError(f"a mark names the event “{mark.event}”, which the trial does not have")
        return self
