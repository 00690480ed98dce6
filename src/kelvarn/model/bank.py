"""Ready-made trials and marks: what everybody should try, made to fit a rig and the setpoint of a trial."""

from collections.abc import Callable
from dataclasses import dataclass

from kelvarn.sentence import say

from .bodies import COLDEST_DEGC, HOTTEST_DEGC
from .control_events import PowerCut
from .edit import with_fields
from .events import ColdPart, DoorOpens, Event, SupplyChange, SurroundingsChange
from .mark import Mark
from .project import Project
from .rig import Rig
from .trial import Plan, SetpointChange, Trial


@dataclass(frozen=True)
class BankTrial:
    """A trial of the bank: its name, what it is for, and what makes it of a rig and a trial that it is like."""

    name: str
    text: str
    make: Callable[[Rig, Trial], Trial]


def _setpoint(like: Trial) -> float:
    return like.plan.last_degC


def _plain(like: Trial, setpoint_degC: float | None = None) -> Trial:
    """The same without events, at one setpoint, with the marks that need no event."""
    setpoint = _setpoint(like) if setpoint_degC is None else setpoint_degC
    plan = Plan(changes=(SetpointChange(at_s=0, to_degC=setpoint),))
    marks = tuple(mark for mark in like.marks if mark.event is None)
    return with_fields(like, plan=plan, events=(), marks=marks, notes="", start_degC=None)


def _marked(trial: Trial, event: Event, like: Trial) -> Trial:
    """With an event, and the marks that such an event had."""
    limits = [mark for mark in like.marks if mark.measure == "recovery_s"]
    limit = limits[0].limit if limits else round(trial.duration_s / 8)
    # Nothing but what the event is about is judged once it holds from the start.
    marks = tuple(
        mark for mark in trial.marks if mark.measure not in ("overshoot_K", "overshoot_pct", "settling_s", "rise_s")
    )
    return with_fields(
        trial, events=(event,), marks=(*marks, Mark(measure="recovery_s", event=event.name, limit=limit))
    )


def _held(rig: Rig, like: Trial) -> Trial:
    """At the setpoint from the start."""
    del rig
    trial = _plain(like)
    return with_fields(trial, start_degC=_setpoint(like))


def _at(trial: Trial, share: float) -> float:
    return float(round(share * trial.duration_s))


def _warm(rig: Rig, like: Trial) -> Trial:
    start = rig.surroundings.temperature_degC + 0.7 * (_setpoint(like) - rig.surroundings.temperature_degC)
    return with_fields(_plain(like), start_degC=round(start, 1))


def _up_and_down(rig: Rig, like: Trial) -> Trial:
    setpoint = _setpoint(like)
    step = round(max(0.1 * abs(setpoint - rig.surroundings.temperature_degC), 1.0), 1)
    up = min(max(setpoint + step, COLDEST_DEGC), HOTTEST_DEGC)
    trial = _held(rig, like)
    changes = tuple(
        SetpointChange(at_s=_at(trial, share), to_degC=to) for share, to in ((0, setpoint), (0.2, up), (0.6, setpoint))
    )
    return with_fields(trial, plan=Plan(changes=changes))


def _door(rig: Rig, like: Trial) -> Trial:
    trial = _held(rig, like)
    return _marked(trial, DoorOpens(at_s=_at(trial, 0.3), lasts_s=120, **DoorOpens.begins_as(rig)), like)


def _part(rig: Rig, like: Trial) -> Trial:
    trial = _held(rig, like)
    return _marked(trial, ColdPart(at_s=_at(trial, 0.3), **ColdPart.begins_as(rig)), like)


def _night(rig: Rig, like: Trial) -> Trial:
    del rig
    trial = _plain(like)
    lasts = _at(trial, 0.4)
    night = SurroundingsChange(name="Cold night", at_s=_at(trial, 0.4), lasts_s=lasts, change_K=-10, course="ramp")
    return with_fields(trial, events=(night,))


def _sag(rig: Rig, like: Trial) -> Trial:
    trial = _held(rig, like)
    return _marked(
        trial, SupplyChange(at_s=_at(trial, 0.3), lasts_s=_at(trial, 0.3), name="Supply sags", to=0.85), like
    )


def _cut(rig: Rig, like: Trial) -> Trial:
    trial = _held(rig, like)
    lasts = min(600.0, _at(trial, 0.2))
    return _marked(trial, PowerCut(name="Power cut", at_s=_at(trial, 0.3), lasts_s=lasts), like)


BANK: tuple[BankTrial, ...] = (
    BankTrial("Cold start", say("everything as cold as the room, one setpoint"), lambda rig, like: _plain(like)),
    BankTrial("Warm start", say("most of the way is done already, as after a short stop"), _warm),
    BankTrial("Setpoint up and down", say("a tenth of the way up, and back"), _up_and_down),
    BankTrial("Door", say("open for two minutes while it holds"), _door),
    BankTrial("Cold part", say("put in while it holds"), _part),
    BankTrial("Cold night", say("the room gets 10 K colder, slowly"), _night),
    BankTrial("Supply sags", say("85 % of the voltage for a while"), _sag),
    BankTrial("Power cut", say("ten minutes without power while it holds"), _cut),
)


def from_bank(project: Project, like: Trial, wanted: BankTrial) -> Trial:
    """A trial of the bank, under its name. `like` gives setpoint, duration, band and marks."""
    return with_fields(wanted.make(project.rig, like), name=wanted.name)


@dataclass(frozen=True)
class MarkSet:
    """Ready-made marks: their name, what they are for, and what makes them for a rig and a trial."""

    name: str
    text: str
    make: Callable[[Rig, Trial], tuple[Mark, ...]]


def _gentle(rig: Rig, trial: Trial) -> tuple[Mark, ...]:
    del rig
    return (
        Mark(measure="overshoot_K", limit=2 * trial.band_K),
        Mark(measure="swing_K", limit=2 * trial.band_K),
        Mark(measure="switch_ons_per_h", limit=20),
    )


def _quick(rig: Rig, trial: Trial) -> tuple[Mark, ...]:
    del rig
    return (
        Mark(measure="settling_s", limit=round(trial.duration_s / 4)),
        Mark(measure="steady_error_K", limit=trial.band_K, direction="within"),
        *(Mark(measure="recovery_s", event=each.name, limit=round(trial.duration_s / 8)) for each in trial.events[:3]),
    )


def _safe(rig: Rig, trial: Trial) -> tuple[Mark, ...]:
    del trial
    limited = [body.name for body in rig.all_bodies if body.margin_K(0.0, 0.0) is not None]
    return (
        *(Mark(measure="limit_margin_K", body=name, limit=10, direction="at_least") for name in limited),
        Mark(measure="trips", limit=0),
        *((Mark(measure="inside_share", limit=0.5, direction="at_least"),) if rig.goal is not None else ()),
    )


MARK_SETS: tuple[MarkSet, ...] = (
    MarkSet("gentle", say("little overshoot and swing, few switchings"), _gentle),
    MarkSet("quick", say("settled in a quarter of the time, back in an eighth"), _quick),
    MarkSet("safe", say("10 K to every limit, nothing trips, the goal kept"), _safe),
)


def with_marks(trial: Trial, rig: Rig, wanted: MarkSet) -> Trial:
    """The trial with the marks of a set; a mark on the same measure is replaced."""
    made = wanted.make(rig, trial)

    def about(mark: Mark) -> tuple[str, str | None, str | None]:
        return mark.measure, mark.event, mark.body

    new = {about(mark) for mark in made}
    kept = tuple(mark for mark in trial.marks if about(mark) not in new)
    return with_fields(trial, marks=(*kept, *made))
