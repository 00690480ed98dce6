"""Worked cases: what the device must give at readings that somebody makes by hand, to be tried before the first heat.

They are told by the very control step that ran in every trial (`engine.on_trial.Stepper`), from switching on: each edge
of the law and each guard exactly at its level, a step of the reading below it and a step above.
"""

import math
from collections.abc import Iterator
from dataclasses import dataclass

from kelvarn.engine.decision import Decision
from kelvarn.engine.on_trial import Stepper
from kelvarn.model.candidate import Candidate
from kelvarn.model.edit import with_fields
from kelvarn.model.guards import ProbeFaultAction, Trip
from kelvarn.model.project import Project
from kelvarn.model.trial import Plan, SetpointChange
from kelvarn.units import Quantity, Scale, show

from .settings import working_setpoint

_STEP_K = 0.1  # between readings, of a probe that has no steps of its own
_MINUTE_S, _MOST_SAMPLES = 60.0, 5000
_AWAY_K = (5.0, 1.0, 0.0, -1.0)  # readings short of the setpoint, for a law without edges


@dataclass(frozen=True)
class Case:
    """A case.

    Attributes:
        what: what is read, in words.
        readings_degC: of all probes; stays_s: how long they stay, s.
        given: drive, −1…1; trips: the guards that have tripped by then.
        before_degC: what the control probe reads for as long at first; None from switching on.
    """

    what: str
    readings_degC: tuple[float, ...]
    stays_s: float
    given: float
    trips: tuple[str, ...]
    before_degC: float | None = None

    @property
    def must(self) -> str:
        """What it must do, in words."""
        late = f" after {show(self.stays_s, Quantity.DURATION)}" if self.stays_s else ""
        trips = "".join(f"; “{name}” trips" for name in self.trips)
        return f"{show(self.given, Quantity.DRIVE)}{late}{trips}"


def worked_cases(project: Project, candidate: Candidate, scale: Scale = Scale.CELSIUS) -> list[Case]:
    """The cases of a candidate: edges of the law or distances from the setpoint, then each guard that watches a probe.

    Args:
        project: its rig and trials; the setpoint is the one that the drives are for.
        candidate: whose law.
        scale: that the sentences speak in.
    """
    desk = _Desk(project, candidate, scale)
    return [*_of_law(desk), *_of_guards(desk)]


def typed_cases(project: Project, candidate: Candidate, degC: float, scale: Scale = Scale.CELSIUS) -> list[Case]:
    """What it does where its control probe reads so much: as it is switched on, and a minute later.

    Args:
        project, candidate, scale: as for `worked_cases`.
        degC: the reading.
    """
    desk = _Desk(project, candidate, scale)
    return [desk.case("switched on", degC), desk.case("still so a minute later", degC, _MINUTE_S)]


class _Desk:
    """A device on a desk: switched on for each case, with the plan at one setpoint and nothing happening."""

    def __init__(self, project: Project, candidate: Candidate, scale: Scale) -> None:
        self.rig, self.law, self.scale = project.rig, candidate.controller, scale
        self.setpoint_degC = working_setpoint(project, project.first_trial)
        plan = Plan(changes=(SetpointChange(at_s=0, to_degC=self.setpoint_degC),))
        self._trial = with_fields(project.first_trial, plan=plan, events=(), marks=())
        self.step_K = self.rig.probe.resolution_K or _STEP_K

    def shown(self, degC: float) -> str:
        """A temperature in words."""
        return show(degC, Quantity.TEMPERATURE, self.scale, exact=True)

    def decide(self, readings: tuple[float, ...], stays_s: float, before_degC: float | None) -> Decision:
        """What is decided in the end."""
        rig, h = self.rig, self.rig.probe.interval_s
        stepper = Stepper(self.law, self._trial.course, h, rig.way, (), rig, self._trial)
        samples = min(1 + math.ceil(stays_s / h - 1e-9), _MOST_SAMPLES)
        if before_degC is not None:
            begins = [before_degC if k == rig.control_index else each for k, each in enumerate(readings)]
            for _ in range(samples):
                stepper.step(*begins)
        for _ in range(samples):
            decision = stepper.step(*readings)
        return decision

    def case(
        self, what: str, control_degC: float, stays_s: float = 0.0, before_degC: float | None = None,
        others: dict[str, float] | None = None,
    ) -> Case:  # fmt: skip
        """A case with the control probe at a reading, other probes by name, and all the rest at the setpoint."""
        readings = tuple(
            control_degC if k == self.rig.control_index else (others or {}).get(probe.name, self.setpoint_degC)
            for k, probe in enumerate(self.rig.probes)
        )
        found = self.decide(readings, stays_s, before_degC)
        trips = tuple(
            guard.name for k, guard in enumerate(self.rig.guards) if isinstance(guard, Trip) and found.tripped >> k & 1
        )
        return Case(what, readings, stays_s, found.given, trips, before_degC)


def _of_law(desk: _Desk) -> Iterator[Case]:
    way, setpoint = desk.rig.way, desk.setpoint_degC
    edges = desk.law.edges(setpoint, way)
    if not edges:
        for short in _AWAY_K:
            reading = setpoint - way.sign * short
            yield desk.case(f"switched on at {desk.shown(reading)}", reading)
            yield desk.case(f"still {desk.shown(reading)} a minute later", reading, _MINUTE_S)
        return
    # All delays are over, also those of going from cooling to heating, by way of off.
    settles_s = max((2 if way.both else 1) * desk.law.delays_s, desk.rig.probe.interval_s)
    # From beyond all edges, on the side on which this one has not acted yet.
    warmest, coldest = max(edge.degC for edge in edges), min(edge.degC for edge in edges)
    for edge in edges:
        before = warmest + desk.step_K if edge.up == (way.sign > 0) else coldest - desk.step_K
        for off in (-desk.step_K, 0.0, desk.step_K):
            reading = edge.degC + off
            what = f"from {desk.shown(before)} to {desk.shown(reading)}"
            yield desk.case(what, reading, settles_s, before)


def _of_guards(desk: _Desk) -> Iterator[Case]:
    for guard in desk.rig.guards:
        if isinstance(guard, Trip):
            for off in (-desk.step_K, 0.0, desk.step_K):
                at = guard.at_degC + off
                what = f"{guard.probe} at {desk.shown(at)} (“{guard.name}”: {guard.side} {desk.shown(guard.at_degC)})"
                control = at if guard.probe == desk.rig.probe.name else desk.setpoint_degC - desk.rig.way.sign
                yield desk.case(what, control, guard.delay_s, others={guard.probe: at})
        elif isinstance(guard, ProbeFaultAction):
            probe = desk.rig.probe
            for end, word in ((probe.lowest_degC, "lower"), (probe.highest_degC, "upper")):
                what = f"{probe.name} at the {word} end of its range, {desk.shown(end)} (“{guard.name}”)"
                yield desk.case(what, end, guard.delay_s)
