"""A cabinet in which resin parts cure: a heater mat under a shelf, the air, insulated walls and the part."""

from kelvarn.model.bodies import Body, Link, Surroundings
from kelvarn.model.candidate import Candidate
from kelvarn.model.drives import SlowWindow
from kelvarn.model.events import ColdPart, DoorOpens, SurroundingsChange
from kelvarn.model.fields import SURROUNDINGS
from kelvarn.model.goal import Goal
from kelvarn.model.log import LogNote, LogSpan
from kelvarn.model.mark import Mark
from kelvarn.model.on_off import OnOff
from kelvarn.model.pid import Pid
from kelvarn.model.probes import Probe
from kelvarn.model.project import Project
from kelvarn.model.rig import Rig
from kelvarn.model.trial import NamedSetpoint, Plan, SetpointChange, Trial

from .recorded import recorded

_MINUTE, _HOUR = 60.0, 3600.0


def _two_stages() -> Trial:
    """The cure as the resin's maker has it: gelled at 45 °C, then cured, each counted from when it is there."""
    return Trial(
        name="Two-stage cure",
        duration_s=6 * _HOUR,
        plan=Plan(
            setpoints=(NamedSetpoint(name="Gel", to_degC=45), NamedSetpoint(name="Cure", to_degC=60)),
            changes=(
                SetpointChange(at_s=0, to_degC=45, named="Gel", waits=True),
                SetpointChange(at_s=40 * _MINUTE, to_degC=60, ramp_K_per_s=1.5 / 60, named="Cure", waits=True),
                SetpointChange(at_s=3.7 * _HOUR, to_degC=30, ramp_K_per_s=0.5 / 60),
            ),
        ),
        events=(
            ColdPart(name="Second part", at_s=1.5 * _HOUR, body="Air", capacity_J_per_K=900, part_degC=19,
                     contact_W_per_K=2.5),
        ),
        marks=(
            Mark(measure="overshoot_K", limit=1.5),
            Mark(measure="recovery_s", event="Second part", limit=35 * _MINUTE),
            Mark(measure="inside_share", limit=0.4, direction="at_least"),
        ),
        notes="The plan waits until the air is there, so that a slow start does not shorten the cure.",
    )  # fmt: skip


def cure_cabinet() -> Project:
    """The project: on/off, P, PI and PID on one trial; two of them off the strip at first."""
    rig = Rig(
        bodies=(
            Body(name="Heater mat", capacity_J_per_K=500, limit_degC=110),
            Body(name="Air", capacity_J_per_K=900),
            Body(name="Walls", capacity_J_per_K=9000),
            Body(name="Part", capacity_J_per_K=2600),
        ),
        links=(
            Link(a="Heater mat", b="Air", conductance_W_per_K=5.0),
            Link(a="Air", b="Walls", conductance_W_per_K=4.5),
            Link(a="Air", b="Part", conductance_W_per_K=3.0),
            Link(a="Walls", b=SURROUNDINGS, conductance_W_per_K=1.6),
        ),
        drives=(SlowWindow(name="Mat", body="Heater mat", power_W=250, window_s=2, dead_time_s=8),),
        probes=(
            Probe(
                body="Air", like="digital, steps of 1/16 K", lag_s=20, noise_K=0.03, resolution_K=0.0625, interval_s=2
            ),
        ),
        surroundings=Surroundings(temperature_degC=19),
        goal=Goal(body="Part", low_degC=58, high_degC=62, why="the resin stays soft", source="the resin's data sheet"),
    )
    trial = Trial(
        name="Cold start, door, cold night",
        duration_s=4 * _HOUR,
        plan=Plan(changes=(SetpointChange(at_s=0, to_degC=60),)),
        events=(
            DoorOpens(name="Door", at_s=2 * _HOUR, lasts_s=100, body="Air", conductance_W_per_K=30),
            SurroundingsChange(name="Cold night", at_s=3 * _HOUR, change_K=-7),
        ),
        marks=(
            Mark(measure="overshoot_K", limit=1.5),
            Mark(measure="settling_s", limit=40 * _MINUTE),
            Mark(measure="recovery_s", event="Door", limit=25 * _MINUTE),
            Mark(measure="steady_error_K", limit=0.3, direction="within"),
            Mark(measure="swing_K", limit=1.0),
            Mark(measure="hottest_degC", body="Heater mat", limit=100),
        ),
    )
    return Project(
        name="Cure cabinet",
        rig=rig,
        candidates=(
            Candidate(name="On/off ±1", controller=OnOff(below_K=1, above_K=1)),
            Candidate(name="P", controller=Pid(terms="P", kp_per_K=0.12), hidden=True),
            Candidate(
                name="Eager PI",
                controller=Pid(terms="PI", kp_per_K=0.12, ti_s=22 * _MINUTE, anti_windup="none"),
                hidden=True,
                notes="Nothing limits its integral while the mat is at full drive: ask why it overshoots.",
            ),
            Candidate(
                name="Careful PID",
                controller=Pid(kp_per_K=0.16, ti_s=11.7 * _MINUTE, td_s=1 * _MINUTE, setpoint_weight=0.6),
            ),
        ),
        trials=(trial, _two_stages()),
        logs=(
            recorded(
                "cabinet-cold.csv",
                "step from cold",
                left_out=(LogSpan(from_s=2 * _HOUR - 5, to_s=2 * _HOUR + 95, why="door"),),
                moments=(LogNote(at_s=2 * _HOUR, text="door open for a minute and a half"),),
            ),
            recorded("cabinet-warm.csv", "step from warm", use="check"),
            recorded("cabinet-three-weeks-later.csv", "three weeks later", use="aside"),
        ),
        chosen="Careful PID",
    )
