"""A trial: what a candidate is put through, and the marks it is judged by."""

from collections.abc import Iterable, Sequence
from itertools import pairwise

from pydantic import model_validator

from kelvarn.units import Quantity, show

from .bodies import temperature
from .events import LONGEST_S, ColdPart, Event
from .fields import ModelBase, Name, Notes, field, number
from .mark import MEASURES, Mark
from .names import check_unique

MOST_PARTS_PUT_IN = 12
"""Each is a body of its own to the engine."""


class SetpointChange(ModelBase):
    """From this instant the setpoint goes to a value, at once or along a ramp."""

    at_s: float = number(..., Quantity.DURATION, 0.0, LONGEST_S, "At", "When the change begins.")
    to_degC: float = temperature(..., "Setpoint", "Where the setpoint goes.")
    ramp_K_per_s: float | None = number(
        None, Quantity.RAMP, 1e-6, 1000.0, "Ramp", "How fast it goes there; empty means at once."
    )


class Plan(ModelBase):
    """The setpoint over trial time."""

    changes: tuple[SetpointChange, ...] = field(
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


def _time(seconds: float) -> str:
    return show(seconds, Quantity.DURATION, exact=True)


class Trial(ModelBase):
    """A setpoint plan, events, how it starts and what is asked of the candidates."""

    name: Name = field(..., "Name", "What the trial is called.")
    duration_s: float = number(..., Quantity.DURATION, 1.0, LONGEST_S, "Duration", "How long the trial runs.")
    plan: Plan = field(..., "Plan", "The setpoint over time.")
    events: tuple[Event, ...] = field((), "Events", "What happens meanwhile.", max_length=200)
    start_degC: float | None = temperature(
        None,
        "Starts at",
        "Temperature of every body at the start; empty for a cold start.",
        empty="cold",
    )
    band_K: float = number(
        0.5, Quantity.DIFFERENCE, 0.001, 500.0, "Band", "How near to the setpoint counts as settled."
    )
    seed: int = number(1, Quantity.NUMBER, 0, 2**32 - 1, "Seed", "Which noise is drawn; the same seed, the same noise.")
    marks: tuple[Mark, ...] = field((), "Marks", "What is asked of the candidates.", max_length=60)
    notes: Notes = field("", "Notes", "What the trial stands for, and why.")

    @model_validator(mode="after")
    def _inside(self) -> "Trial":
        check_unique([event.name for event in self.events], "event")
        if sum(isinstance(event, ColdPart) for event in self.events) > MOST_PARTS_PUT_IN:
            raise ValueError(f"at most {MOST_PARTS_PUT_IN} parts can be put in during one trial")
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


def measured_by(measures: Iterable[str], trial: Trial, bodies: Sequence[str] = ()) -> tuple[Mark, ...]:
    """Measures of a trial's runs, of each event and body that there is, as marks whose limit plays no part."""
    found: list[Mark] = []
    for name in measures:
        if MEASURES[name].scope == "event":
            found += [Mark(measure=name, limit=0, event=event.name) for event in trial.events]
        elif MEASURES[name].scope == "body":
            found += [Mark(measure=name, limit=0, body=body) for body in bodies]
        else:
            found.append(Mark(measure=name, limit=0))
    return tuple(found)
