"""Guards and permits of a rig as records of the control step."""

from collections.abc import Sequence
from typing import Any

from kelvarn.model import guards as model
from kelvarn.model.guards import DAY_S, DAYS, Day
from kelvarn.model.rig import Rig

from .ages import ms_of
from .guard_records import (
    Does,
    Guard,
    Guarding,
    GuardKind,
    GuardState,
    Now,
    PermitKind,
    PermitRecord,
    Resumes,
    Ruler,
    Watches,
)
from .records import table

_DOES = {
    "off": Does.OFF, "on": Does.FULL, "full": Does.FULL, "fixed": Does.FIXED, "hold": Does.HOLD,
    "contactor": Does.CONTACTOR, "load": Does.LOAD,
}  # fmt: skip
_WATCHES = {
    "high": Watches.HIGH, "low": Watches.LOW, "deviation": Watches.DEVIATION, "saturated": Watches.SATURATED,
}  # fmt: skip
_RESUMES = {"clock": Resumes.CLOCK, "stored": Resumes.STORED, "start": Resumes.START, "lost": Resumes.LOST}


def guarding_of(rig: Rig | None, make: Any = table) -> Guarding:
    """All that rules over a law, before the first sample.

    Args:
        rig: whose guards and permits count; None for none.
        make: makes a table, as for `laws.laws_of`.
    """
    guards = [] if rig is None else _guards(rig)
    return Guarding(
        guards=make(Guard, guards),
        states=make(GuardState, [GuardState() for _ in guards]),
        permits=make(PermitRecord, [] if rig is None else [permit_record(rig, permit) for permit in rig.permits]),
        now=make(Now, [Now()]),
    )


def days_of(days: Sequence[Day]) -> int:
    """Days as bits, the lowest for Monday."""
    return sum(1 << DAYS.index(day) for day in days)


def lasts_ms(from_s: float, to_s: float) -> int:
    """How long a part of the day is that may go past midnight."""
    return ms_of(to_s) - ms_of(from_s) + (0 if to_s > from_s else ms_of(DAY_S))


def permit_record(rig: Rig, permit: model.Permit) -> PermitRecord:
    """One permit as a record."""
    cools = permit.allows in ("both", "cooling") and rig.cools
    heats = permit.allows in ("both", "heating") and rig.heats
    if not rig.heats:  # a law for a rig that only cools asks for cooling with a drive above 0
        heats, cools = cools, False
    made = PermitRecord(PermitKind.INPUT, heats, cools, 0, 0, 0, 0, 0.0)
    match permit:
        case model.DoorShut():
            made.after_ms = ms_of(permit.after_s)
        case model.Hours():
            made.kind, made.days, made.from_ms = PermitKind.HOURS, days_of(permit.days), ms_of(permit.from_s)
            made.lasts_ms = lasts_ms(permit.from_s, permit.to_s)
        case model.PriceBelow():
            made.kind, made.limit = PermitKind.PRICE, permit.limit
    return made


def _guard(kind: GuardKind, **fields: Any) -> Guard:
    usual = Guard(
        kind=kind, place=0, probe=0, rank=Ruler.LAW, does=Does.OFF, watches=Watches.HIGH, sign=1.0, level_degC=0.0,
        away_K=0.0, rise_K=0.0, hysteresis_K=0.0, after_ms=0, duty=0.0, cycle_ms=0, on_ms=0, latches=False,
        at_least=0.0, rest_ms=0, still_ms=0, resumes=Resumes.CLOCK, own_degC=0.0, keeps_memory=False,
    )  # fmt: skip
    for name, value in fields.items():
        setattr(usual, name, value)
    return usual


def guards_of(rig: Rig) -> list[model.Guard]:
    """The guards that the control step looks at, in the order of its table."""
    return [guard for guard in rig.guards if not isinstance(guard, model.CutOff)]


def _guards(rig: Rig) -> list[Guard]:
    """The guards of a rig as records, in its order; a thermal cut-off is no guard of the controller."""
    found = []
    for place, guard in enumerate(rig.guards):
        record = guard_record(rig, guard)
        if record is not None:
            record.place = place
            found.append(record)
    return found


def guard_record(rig: Rig, guard: Any) -> Guard | None:
    """One guard as a record."""
    match guard:
        case model.Trip():
            return _guard(
                GuardKind.TRIP, probe=_probe(rig, guard.probe), level_degC=guard.at_degC, does=_DOES[guard.does],
                rank=Ruler.LATCHED_TRIP if guard.latches else Ruler.GUARD, sign=1.0 if guard.side == "above" else -1.0,
                after_ms=ms_of(guard.delay_s), latches=guard.latches,
                hysteresis_K=0.0 if guard.latches else guard.hysteresis_K,
            )  # fmt: skip
        case model.ProbeFaultAction():
            cycle_s = guard.cycle_s or 0.0
            return _guard(
                GuardKind.PROBE_FAULT, probe=rig.control_index, does=_DOES[guard.action], duty=guard.duty,
                rank=Ruler.PROBE_FAULT, after_ms=ms_of(guard.delay_s), still_ms=ms_of(guard.still_s or 0.0),
                cycle_ms=ms_of(cycle_s), on_ms=ms_of(abs(guard.duty) * cycle_s),
            )  # fmt: skip
        case model.NoRise():
            return _guard(
                GuardKind.NO_RISE, probe=rig.control_index, rank=Ruler.LATCHED_TRIP, at_least=guard.at_least,
                after_ms=ms_of(guard.for_s), rise_K=guard.rise_K, away_K=guard.away_K,
                latches=True,
            )  # fmt: skip
        case model.LinkLost():
            return _guard(
                GuardKind.LINK_LOST,
                rank=Ruler.GUARD,
                does=_DOES[guard.action],
                duty=guard.duty,
                after_ms=ms_of(guard.after_s),
            )
        case model.LongestOn():
            return _guard(
                GuardKind.LONGEST_ON, rank=Ruler.GUARD, after_ms=ms_of(guard.longest_s), rest_ms=ms_of(guard.rest_s)
            )
        case model.Restart():
            return _guard(
                GuardKind.RESTART, rank=Ruler.GUARD, after_ms=ms_of(guard.delay_s), keeps_memory=guard.keeps_memory,
                resumes=_RESUMES[guard.setpoint], own_degC=guard.own_degC,
            )  # fmt: skip
        case model.Alarm():
            return _guard(
                GuardKind.ALARM, probe=_probe(rig, guard.probe), level_degC=guard.at_degC, away_K=guard.away_K,
                sign=-1.0 if guard.watches == "low" else 1.0, watches=_WATCHES[guard.watches],
                after_ms=ms_of(guard.delay_s), hysteresis_K=guard.hysteresis_K, latches=guard.until == "acknowledged",
            )  # fmt: skip
    return None


def _probe(rig: Rig, name: str) -> int:
    return [probe.name for probe in rig.probes].index(name)
