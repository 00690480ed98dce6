"""A trial: what a candidate is put through, and the marks it is judged by."""

import math
from collections.abc import Iterable, Sequence
from functools import cached_property
from itertools import pairwise
from typing import Self

from pydantic import field_validator, model_validator

from kelvarn.sentence import figures, say
from kelvarn.units import Quantity, show

from .bodies import temperature
from .event_base import LONGEST_S
from .events import ColdPart, Event
from .fields import ModelBase, Name, Notes, field, number
from .guards import DAY_S, DAYS, Day, clock
from .mark import MEASURES, Mark
from .names import check_unique

MOST_PARTS_PUT_IN = 12
"""Each is a body of its own to the engine."""
MOST_REPEATS = 20_000
"""Of one event, and changes of a plan written out; a trial that needs more is refused."""
WEEK_S = 7 * DAY_S


class SetpointChange(ModelBase):
    """From this instant the setpoint goes to a value, at once or along a ramp."""

    at_s: float = number(..., Quantity.DURATION, 0.0, LONGEST_S, "At", "When the change begins.")
    to_degC: float = temperature(..., "Setpoint", "Where the setpoint goes.")
    ramp_K_per_s: float | None = number(
        None, Quantity.RAMP, 1e-6, 1000.0, "Ramp", "How fast it goes there; empty means at once."
    )
    waits: bool = field(
        False, "Waits", "Whether the plan stands still, once there, until the temperature is inside the band."
    )
    named: Name | None = field(None, "Named", "The named setpoint that it goes to.", empty="no name")


class NamedSetpoint(ModelBase):
    """A setpoint with a name, for an operation: changes and day parts that carry the name go there."""

    name: Name = field(..., "Name", "What it is called.")
    to_degC: float = temperature(..., "Setpoint", "What it is.")


class DayPart(ModelBase):
    """A part of the day on some days of the week, with a setpoint."""

    from_s: float = number(..., Quantity.DURATION, 0.0, DAY_S, "From", "Time of day, since midnight.")
    to_s: float = number(..., Quantity.DURATION, 0.0, DAY_S, "To", "Time of day; before the other one: past midnight.")
    to_degC: float = temperature(..., "Setpoint", "What it is meanwhile.")
    days: tuple[Day, ...] = field(DAYS, "Days", "Days on which it begins.", min_length=1, max_length=7)
    named: Name | None = field(None, "Named", "The named setpoint that it has.", empty="no name")

    @model_validator(mode="after")
    def _some(self) -> Self:
        if self.from_s % DAY_S == self.to_s % DAY_S and (self.from_s, self.to_s) != (0.0, DAY_S):
            raise ValueError(say("a day part from {clock} must not end when it begins", clock=clock(self.from_s)))
        return self

    @property
    def lasts_s(self) -> float:
        """How long it is."""
        return self.to_s - self.from_s if self.to_s > self.from_s else self.to_s - self.from_s + DAY_S


class Plan(ModelBase):
    """The setpoint over trial time: changes; and over them, where there are any, parts of the day."""

    changes: tuple[SetpointChange, ...] = field(
        ..., "Changes", "Setpoint changes in order of time.", min_length=1, max_length=500
    )
    again_s: float | None = number(
        None, Quantity.DURATION, 1.0, LONGEST_S, "Again every", "After so long the changes begin anew; empty: never.",
        empty="never",
    )  # fmt: skip
    week: tuple[DayPart, ...] = field(
        (), "Day parts", "Setpoints by time of day; the later in the table holds where two overlap.", max_length=60
    )
    setpoints: tuple[NamedSetpoint, ...] = field((), "Named setpoints", "What operations ask for.", max_length=30)
    lowest_degC: float | None = temperature(
        None, "Lowest setpoint", "No setpoint goes below, by hand neither.", empty="no limit"
    )
    highest_degC: float | None = temperature(
        None, "Highest setpoint", "No setpoint goes above, by hand neither.", empty="no limit"
    )

    @field_validator("again_s")
    @classmethod
    def _whole_ms(cls, again_s: float | None) -> float | None:
        """Devices count whole milliseconds."""
        return None if again_s is None else math.ceil(again_s * 1000 - 1e-6) / 1000

    @property
    def last_degC(self) -> float:
        """The setpoint at the end; of day parts, the highest."""
        return max(part.to_degC for part in self.week) if self.week else self.changes[-1].to_degC

    def limited(self, degC: float) -> float:
        """A setpoint inside its limits."""
        low = -math.inf if self.lowest_degC is None else self.lowest_degC
        high = math.inf if self.highest_degC is None else self.highest_degC
        return min(max(degC, low), high)

    @model_validator(mode="after")
    def _named(self) -> Self:
        low, high = self.lowest_degC, self.highest_degC
        if low is not None and high is not None and low > high:
            raise ValueError(
                say("no setpoint can be both above {low} °C and below {high} °C", low=figures(f"{low:g}", ""),
                    high=figures(f"{high:g}", ""))
            )  # fmt: skip
        check_unique([each.name for each in self.setpoints], "named setpoint")
        known = {each.name: each.to_degC for each in self.setpoints}
        parts: tuple[SetpointChange | DayPart, ...] = (*self.changes, *self.week)
        for part in parts:
            if part.named is not None and part.named not in known:
                raise ValueError(say("the plan names the setpoint “{named}”, which does not exist", named=part.named))
            if part.named is not None and part.to_degC != known[part.named]:
                raise ValueError(
                    say("“{named}” is {known} °C, but under that name the plan goes to {to} °C", named=part.named,
                        known=figures(f"{known[part.named]:g}", ""), to=figures(f"{part.to_degC:g}", ""))
                )  # fmt: skip
        if self.again_s is not None and self.again_s <= self.changes[-1].at_s:
            raise ValueError(
                say("the plan begins anew after {time}, before its last change at {last}", time=_time(self.again_s),
                    last=_time(self.changes[-1].at_s))
            )  # fmt: skip
        return self

    @model_validator(mode="after")
    def _in_order(self) -> "Plan":
        times = [change.at_s for change in self.changes]
        if times[0] != 0:
            raise ValueError(
                say("the first setpoint change must be at 0 s, not {times} s", times=figures(f"{times[0]:g}", ""))
            )
        for earlier, later in pairwise(times):
            if later <= earlier:
                raise ValueError(
                    say("setpoint changes must follow one another in time; {later} s comes after {earlier} s",
                        later=figures(f"{later:g}", ""), earlier=figures(f"{earlier:g}", ""))
                )  # fmt: skip
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
        0.5, Quantity.DIFFERENCE, 0.001, 500.0, "Settled within ±", "How near to the setpoint counts as settled."
    )
    begins_day: Day = field("Mon", "Begins on", "Day of the week at its start.")
    begins_at_s: float = number(0.0, Quantity.DURATION, 0.0, DAY_S, "At", "Time of day at its start, since midnight.")
    seed: int = number(1, Quantity.NUMBER, 0, 2**32 - 1, "Seed", "Which noise is drawn; the same seed, the same noise.")
    marks: tuple[Mark, ...] = field((), "Marks", "What is asked of the candidates.", max_length=60)
    notes: Notes = field("", "Notes", "What the trial stands for, and why.")

    @property
    def begins_s(self) -> float:
        """How far into the week it begins, s since Monday, midnight."""
        return DAYS.index(self.begins_day) * DAY_S + self.begins_at_s

    @cached_property
    def course(self) -> tuple[SetpointChange, ...]:
        """Setpoint changes over the whole of it: the plan's repeats and day parts written out, limits applied."""
        return course_of(self.plan, self.duration_s, self.begins_s)

    @cached_property
    def occurrences(self) -> tuple[Event, ...]:
        """Its events in their order, then what repeats of them."""
        again: list[Event] = []
        for event in self.events:
            if event.again_s is not None:
                count = min(math.ceil((self.duration_s - event.at_s) / event.again_s - 1e-9), MOST_REPEATS)
                again += [
                    event.model_copy(update={"at_s": event.at_s + k * event.again_s, "again_s": None})
                    for k in range(1, count)
                ]
        return (*self.events, *again)

    @model_validator(mode="after")
    def _not_too_often(self) -> "Trial":
        for event in self.events:
            if event.again_s is not None and (self.duration_s - event.at_s) / event.again_s > MOST_REPEATS:
                raise ValueError(
                    say("event “{event}” would happen more than {most} times in {time}; let it happen "
                        "less often, or make the trial shorter", event=event.name,
                        most=figures(f"{MOST_REPEATS:,}", ""), time=_time(self.duration_s))
                )  # fmt: skip
        again_s, count = self.plan.again_s, len(self.plan.changes)
        if again_s is not None and self.duration_s / again_s * count > MOST_REPEATS:
            raise ValueError(
                say("the plan would change more than {most} times in {time}; let it begin anew "
                    "less often, or make the trial shorter", most=figures(f"{MOST_REPEATS:,}", ""),
                    time=_time(self.duration_s))
            )  # fmt: skip
        return self

    @model_validator(mode="after")
    def _inside(self) -> "Trial":
        check_unique([event.name for event in self.events], "event")
        if sum(isinstance(event, ColdPart) for event in self.events) > MOST_PARTS_PUT_IN:
            raise ValueError(
                say("at most {most} parts can be put in during one trial",
                    most=MOST_PARTS_PUT_IN)
            )  # fmt: skip
        if any(isinstance(event, ColdPart) and event.again_s is not None for event in self.events):
            raise ValueError(say("a part that is put in is cold only once; add another one instead of repeating it"))
        end = _time(self.duration_s)
        for change in self.plan.changes:
            if change.at_s >= self.duration_s:
                raise ValueError(
                    say("a setpoint change at {time} lies beyond the end of the trial ({end})", time=_time(change.at_s),
                        end=end)
                )  # fmt: skip
        for event in self.events:
            if event.at_s >= self.duration_s:
                raise ValueError(
                    say("event “{event}” at {time} lies beyond the end of the trial ({end})", event=event.name,
                        time=_time(event.at_s), end=end)
                )  # fmt: skip
        names = {event.name for event in self.events}
        for mark in self.marks:
            if mark.stage is not None and mark.stage not in {each.name for each in self.plan.setpoints}:
                raise ValueError(
                    say("a mark names the stage “{stage}”, which is no named setpoint of the plan", stage=mark.stage)
                )
            if mark.event is not None and mark.event not in names:
                raise ValueError(
                    say("a mark names the event “{event}”, which the trial does not have", event=mark.event)
                )
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


def course_of(plan: Plan, duration_s: float, begins_s: float) -> tuple[SetpointChange, ...]:
    """Setpoint changes of a plan over a time, at most `MOST_REPEATS` of them.

    Args:
        plan: the plan.
        duration_s: the time.
        begins_s: when it begins, since midnight before Monday.
    """
    found = list(plan.changes)
    if plan.again_s is not None:
        for k in range(1, min(math.ceil(duration_s / plan.again_s - 1e-9), MOST_REPEATS)):
            found += [change.model_copy(update={"at_s": change.at_s + k * plan.again_s}) for change in plan.changes]
    found = [change for change in found if change.at_s < duration_s][:MOST_REPEATS]
    if plan.week:
        found = _by_day(plan, found, duration_s, begins_s)
    limited = [
        change if plan.limited(change.to_degC) == change.to_degC
        else change.model_copy(update={"to_degC": plan.limited(change.to_degC)})
        for change in found
    ]  # fmt: skip
    return tuple(limited)


def _by_day(plan: Plan, changes: list[SetpointChange], duration_s: float, begins_s: float) -> list[SetpointChange]:
    """Changes of the plan with its day parts over them; outside every part the plan's own setpoint holds."""
    spans = []
    for order, part in enumerate(plan.week):
        for day in part.days:
            first = DAYS.index(day) * DAY_S + part.from_s - begins_s
            for week in range(-1, math.ceil(duration_s / WEEK_S) + 1):
                at = first + week * WEEK_S
                if at < duration_s and at + part.lasts_s > 0:
                    spans.append((max(at, 0.0), at + part.lasts_s, order, part))
    instants = sorted({0.0, *(each.at_s for each in changes), *(at for span in spans for at in span[:2])})
    found: list[SetpointChange] = []
    for at_s in [instant for instant in instants if instant < duration_s][:MOST_REPEATS]:
        own = max((change for change in changes if change.at_s <= at_s), key=lambda each: each.at_s)
        held = max((span for span in spans if span[0] <= at_s < span[1]), key=lambda span: span[2], default=None)
        to = held[3].to_degC if held is not None else own.to_degC
        ramp = own.ramp_K_per_s if held is None and own.at_s == at_s else None
        if not found or found[-1].to_degC != to:
            found.append(SetpointChange(at_s=at_s, to_degC=to, ramp_K_per_s=ramp))
    return found


def week_said(plan: Plan) -> list[str]:
    """Overlaps and gaps of a plan's day parts, in words: a line each, the first of each day."""
    said = []
    for place, day in enumerate(DAYS):
        covered: list[tuple[float, float]] = []
        for part in plan.week:
            for begins in part.days:
                shift = (DAYS.index(begins) - place) * DAY_S
                for week in (-WEEK_S, 0.0, WEEK_S):
                    low, high = part.from_s + shift + week, part.from_s + shift + week + part.lasts_s
                    if low < DAY_S and high > 0:
                        covered.append((max(low, 0.0), min(high, DAY_S)))
        covered.sort()
        reached = 0.0
        for low, high in covered:
            if low < reached - 1e-9:
                said.append(f"{day}: two parts overlap from {clock(low)}; the later in the table holds.")
            elif low > reached + 1e-9:
                said.append(f"{day}: no part from {clock(reached)} to {clock(low)}; the plan's own setpoint holds.")
            reached = max(reached, high)
        if covered and reached < DAY_S - 1e-9:
            said.append(f"{day}: no part from {clock(reached)} to 24:00; the plan's own setpoint holds.")
    return said
