"""A small kiln for enamel: elements that radiate, brick, the air between, a steel panel, a thermocouple, 900 °C."""

from kelvarn.model.bodies import Body, Link, Surroundings
from kelvarn.model.candidate import Candidate
from kelvarn.model.drives import SlowWindow
from kelvarn.model.events import DoorOpens
from kelvarn.model.fields import SURROUNDINGS
from kelvarn.model.guards import NoRise, ProbeFaultAction, Trip
from kelvarn.model.mark import Mark
from kelvarn.model.on_off import OnOff
from kelvarn.model.pid import Pid
from kelvarn.model.probes import Probe
from kelvarn.model.project import Project
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Plan, SetpointChange, Trial

from .recorded import recorded

_MINUTE, _HOUR = 60.0, 3600.0


def enamelling_kiln() -> Project:
    """The project: a ramp, a hold, and the door that lets the work in."""
    rig = Rig(
        bodies=(
            Body(name="Elements", capacity_J_per_K=180, limit_degC=1250, limit_why="resistance wire"),
            Body(name="Chamber", capacity_J_per_K=420),
            Body(name="Brick face", capacity_J_per_K=5200, limit_degC=1260, limit_why="insulating firebrick"),
            Body(name="Brick outside", capacity_J_per_K=9800),
            Body(name="Panel", capacity_J_per_K=150),
        ),
        links=(
            Link(a="Elements", b="Brick face", conductance_W_per_K=0.3, radiating_m2=0.045),
            Link(a="Elements", b="Chamber", conductance_W_per_K=0.6, radiating_m2=0.008),
            Link(a="Chamber", b="Brick face", conductance_W_per_K=1.5, radiating_m2=0.06),
            Link(a="Chamber", b="Panel", conductance_W_per_K=0.3, radiating_m2=0.02),
            Link(a="Brick face", b="Brick outside", conductance_W_per_K=0.75),
            Link(a="Brick outside", b=SURROUNDINGS, conductance_W_per_K=3.2, radiating_m2=0.25),
            Link(a="Chamber", b=SURROUNDINGS, conductance_W_per_K=0.05, opened_W_per_K=2.5),
        ),
        drives=(SlowWindow(name="Coils", body="Elements", power_W=2200, window_s=4, dead_time_s=1),),
        probes=(
            Probe(name="Thermocouple", body="Chamber", lag_s=14, noise_K=0.4, resolution_K=0.25, interval_s=4,
                  lowest_degC=-200, highest_degC=1260),
            Probe(name="On the panel", body="Panel", role="watch", lag_s=6, interval_s=4),
        ),
        surroundings=Surroundings(temperature_degC=21),
        guards=(
            Trip(name="Over-temperature", probe="Thermocouple", at_degC=900),
            ProbeFaultAction(name="Probe fault", still_s=120),
            NoRise(name="No response", at_least=0.95, for_s=600, rise_K=5, away_K=30),
        ),
    )  # fmt: skip
    trial = Trial(
        name="Ramp to 820 °C, work goes in",
        duration_s=3 * _HOUR,
        plan=Plan(
            changes=(
                SetpointChange(at_s=0, to_degC=200),
                SetpointChange(at_s=1, to_degC=820, ramp_K_per_s=10 / 60),
            )
        ),
        events=(DoorOpens(name="Work goes in", at_s=2 * _HOUR, lasts_s=25, body="Chamber"),),
        band_K=5,
        marks=(
            Mark(measure="recovery_s", event="Work goes in", limit=6 * _MINUTE),
            Mark(measure="hottest_degC", body="Elements", limit=1150),
            Mark(measure="limit_margin_K", body="Brick face", limit=150, direction="at_least"),
        ),
    )
    return Project(
        name="Enamelling kiln",
        rig=rig,
        candidates=(
            Candidate(name="On/off ±3", controller=OnOff(below_K=3, above_K=3)),
            Candidate(name="Steady PI", controller=Pid(terms="PI", kp_per_K=0.02, ti_s=6 * _MINUTE, td_s=0)),
        ),
        trials=(trial,),
        logs=(recorded("kiln-heat-and-cool.csv", "heat and cool"),),
        chosen="Steady PI",
    )
