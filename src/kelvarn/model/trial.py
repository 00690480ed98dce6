"""A trial: what a candidate is put through, and the marks it is judged by."""

from itertools import pairwise
from typing import Annotated, Literal

from pydantic import Field, model_validator

from kelvarn.units import Quantity, show

from .bodies import temperature
from .fields import SURROUNDINGS, Name, Part, number, other
from .mark import Mark
from .names import check_unique

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

    @property
    def last_degC(self) -> float:
        """The setpoint at the end."""
        return self.changes[-1].to_degC

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
    """A door: an added conductance from a body to the surroundings, or to another body."""

    kind: Literal["door"] = "door"
    body: Name = other(..., "From body", "The body that loses heat through it.")
    to: Name = other(SURROUNDINGS, "To", "What it opens to: the surroundings or another body.")
    conductance_W_per_K: float | None = number(
        None, Quantity.CONDUCTANCE, 0.0, 1e6, "Extra loss",
        "Conductance added while open; empty means what the rig's link says of its door.",
    )  # fmt: skip


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


class DrawOffRuns(EventBase):
    """A draw-off of the rig runs."""

    kind: Literal["draw_off"] = "draw_off"
    draw_off: Name = other(..., "Draw-off", "Which draw-off of the rig runs.")


class SupplyChange(EventBase):
    """The supply sags or rises: resistive heaters give power by its square."""

    kind: Literal["supply"] = "supply"
    to: float = number(..., Quantity.DRIVE, 0.0, 2.0, "Supply", "Supply as a share of its nominal voltage.")


class ProbeFault(EventBase):
    """A probe fails or errs."""

    kind: Literal["probe_fault"] = "probe_fault"
    probe: Name = other(..., "Probe", "Which probe it is.")
    fault: Literal["open", "short", "stuck", "stale", "drift", "offset", "spikes"] = other(
        "open", "Fault", "What goes wrong with it."
    )
    size_K: float = number(
        5.0, Quantity.DIFFERENCE, -500.0, 500.0, "Size", "Of an offset or a spike; of a drift, kelvins in an hour."
    )
    every_s: float = number(
        60.0, Quantity.DURATION, 0.01, 86400.0, "Every", "Time between spikes, or between readings that arrive."
    )


Event = Annotated[
    DoorOpens | SurroundingsChange | Load | DrawOffRuns | SupplyChange | ProbeFault, Field(discriminator="kind")
]


def _time(seconds: float) -> str:
    return show(seconds, Quantity.DURATION, exact=True)


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
        end = _time(self.duration_s)
        for change in self.plan.changes:
            if change.at_s >= self.duration_s:
                raise ValueError(f"a setpoint change at {_time(change.at_s)} lies beyond the end of the trial ({end})")
        for event in self.events:
            if event.at_s >= self.duration_s:
                raise ValueError(
                    f"event “{event.name}” at {_time(event.at_s)} lies beyond the end of the trial ({end})"
                )
        names = {event.name for event in self.events}
        for mark in self.marks:
            if mark.event is not None and mark.event not in names:
                raise ValueError(f"a mark names the event “{mark.event}”, which the trial does not have")
        return self
