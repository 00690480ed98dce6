"""A shed in which lemon trees spend the winter: frost guard by times of day, a fan heater with its own thermostat."""

from kelvarn.model.bodies import Body, Link, Surroundings
from kelvarn.model.candidate import Candidate
from kelvarn.model.control_events import PriceIs
from kelvarn.model.drives import Relay
from kelvarn.model.events import DoorOpens, ProbeFault, SurroundingsChange
from kelvarn.model.fields import SURROUNDINGS
from kelvarn.model.goal import Goal
from kelvarn.model.guards import Alarm, CutOff, DoorShut, PriceBelow, ProbeFaultAction, Restart
from kelvarn.model.mark import Mark
from kelvarn.model.on_off import OnOff
from kelvarn.model.probes import Probe
from kelvarn.model.project import Project
from kelvarn.model.rig import Rig
from kelvarn.model.trial import DayPart, NamedSetpoint, Plan, SetpointChange, Trial

from .recorded import recorded

_HOUR, _DAY = 3600.0, 86400.0


def lemon_shed() -> Project:
    """The project: two on/off candidates through a frosty week, a door left open, a probe that fails in the night."""
    rig = Rig(
        bodies=(
            Body(name="Heater", capacity_J_per_K=1400, limit_degC=110, limit_why="its plastic case"),
            Body(name="Air", capacity_J_per_K=45_000, limit_degC=34, limit_why="leaves scorch"),
            Body(name="Roots", capacity_J_per_K=260_000, low_limit_degC=-2, limit_why="roots freeze"),
        ),
        links=(
            Link(a="Heater", b="Air", conductance_W_per_K=26.0),
            Link(a="Air", b=SURROUNDINGS, conductance_W_per_K=38.0),
            Link(a="Air", b="Roots", conductance_W_per_K=13.0),
        ),
        drives=(
            Relay(name="Fan heater", body="Heater", power_W=1200, dial_degC=78, dial_band_K=8, shortest_off_s=60,
                  rated_operations=200_000),
        ),
        probes=(Probe(name="Probe", body="Air", lag_s=60, noise_K=0.05, resolution_K=0.0625, interval_s=10,
                      lowest_degC=-40, highest_degC=80),),
        surroundings=Surroundings(temperature_degC=-2),
        goal=Goal(body="Roots", low_degC=1, why="the trees drop their leaves", source="the nursery's label"),
        guards=(
            CutOff(name="Thermal cut-off", body="Heater", at_degC=98),
            CutOff(name="Air stat", body="Air", at_degC=27, resets_K=6),
            ProbeFaultAction(name="Probe fault", action="fixed", duty=0.5, cycle_s=20 * 60, still_s=3600),
            Alarm(name="Frost", probe="Probe", watches="low", at_degC=1.5, delay_s=20 * 60, outlet="message"),
            Alarm(name="Flat out", probe="Probe", watches="saturated", away_K=1.5, delay_s=40 * 60, outlet="message"),
            Restart(name="Restart", delay_s=120),
        ),
        permits=(DoorShut(name="Door shut", after_s=5 * 60), PriceBelow(name="Price", limit=0.42)),
    )  # fmt: skip
    night, day = NamedSetpoint(name="Night", to_degC=5), NamedSetpoint(name="Day", to_degC=3.5)
    plan = Plan(
        changes=(SetpointChange(at_s=0, to_degC=3.5, named="Day"),),
        setpoints=(night, day),
        week=(
            DayPart(from_s=20 * _HOUR, to_s=8 * _HOUR, to_degC=5, named="Night"),
            DayPart(from_s=8 * _HOUR, to_s=20 * _HOUR, to_degC=3.5, named="Day"),
        ),
        lowest_degC=2,
        highest_degC=12,
    )
    frosty = SurroundingsChange(name="Day and night", at_s=0, change_K=6, course="wave", period_s=_DAY)
    marks = (
        Mark(measure="coldest_degC", body="Roots", limit=1, direction="at_least"),
        Mark(measure="worst_under_K", limit=4.5),
        Mark(measure="worst_over_K", limit=4.5),
        Mark(measure="switch_ons_per_h", limit=6),
        Mark(measure="relay_life_years", limit=6, direction="at_least"),
    )
    week = Trial(
        name="A frosty week",
        duration_s=7 * _DAY,
        plan=plan,
        start_degC=3,
        begins_at_s=8 * _HOUR,
        events=(
            frosty,
            DoorOpens(name="Door left open", at_s=2.2 * _DAY, lasts_s=40 * 60, body="Air", conductance_W_per_K=80),
            PriceIs(name="Dear evening", at_s=3.4 * _DAY, lasts_s=3 * _HOUR, price=0.5),
        ),
        marks=marks,
    )
    fails = Trial(
        name="The probe fails in the night",
        duration_s=_DAY,
        plan=plan,
        start_degC=4,
        begins_at_s=16 * _HOUR,
        events=(frosty, ProbeFault(name="Probe breaks", at_s=9 * _HOUR, probe="Probe", fault="open")),
        marks=(*marks[:1], Mark(measure="hottest_degC", body="Air", limit=30)),
        notes="Half the power does least harm here: off freezes the roots, full on scorches the leaves.",
    )
    return Project(
        name="Lemon-tree shed",
        rig=rig,
        candidates=(
            Candidate(name="On/off −1 +1", controller=OnOff(below_K=1, above_K=1, shortest_off_s=180)),
            Candidate(name="On/off −0.3 +0.3", controller=OnOff(below_K=0.3, above_K=0.3), hidden=True,
                      notes="A narrow band: see how often the relay switches, and how long it lasts."),
        ),
        trials=(week, fails),
        logs=(recorded("shed-two-nights.csv", "two nights"),),
        chosen="On/off −1 +1",
    )  # fmt: skip
