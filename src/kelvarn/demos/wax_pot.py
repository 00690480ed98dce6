"""A pot in which candle wax melts: a hot plate, the pot, the wax with its melting range, and a tap at the bottom."""

from kelvarn.model.bodies import Body, DrawOff, Link, Melting, Surroundings
from kelvarn.model.candidate import Candidate
from kelvarn.model.drives import Relay
from kelvarn.model.events import DrawOffRuns
from kelvarn.model.fields import SURROUNDINGS
from kelvarn.model.guards import CutOff, ProbeFaultAction
from kelvarn.model.log import LogSpan
from kelvarn.model.mark import Mark
from kelvarn.model.on_off import OnOff
from kelvarn.model.pid import Pid
from kelvarn.model.probes import Probe
from kelvarn.model.project import Project
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Plan, SetpointChange, Trial

from .recorded import recorded

_MINUTE, _HOUR = 60.0, 3600.0


def wax_pot() -> Project:
    """The project: two bands of on/off on one trial that melts, holds and pours."""
    rig = Rig(
        bodies=(
            Body(name="Hot plate", capacity_J_per_K=700, limit_degC=260, limit_why="plate's rating"),
            Body(name="Pot", capacity_J_per_K=480),
            Body(
                name="Wax",
                capacity_J_per_K=8700,
                limit_degC=150,
                limit_why="paraffin wax smokes",
                melting=Melting(from_degC=50, to_degC=62, latent_J=600_000),
            ),
        ),
        links=(
            Link(a="Hot plate", b="Pot", conductance_W_per_K=7.0),
            Link(a="Pot", b="Wax", conductance_W_per_K=12.0),
            Link(a="Hot plate", b=SURROUNDINGS, conductance_W_per_K=0.5),
            Link(a="Pot", b=SURROUNDINGS, conductance_W_per_K=0.9),
            Link(a="Wax", b=SURROUNDINGS, conductance_W_per_K=0.6),
        ),
        draw_offs=(DrawOff(name="Tap", body="Wax", flow_W_per_K=12, inlet_degC=25),),
        drives=(
            Relay(name="Plate", body="Hot plate", power_W=900, shortest_off_s=10, rated_operations=100_000),
        ),
        probes=(Probe(body="Wax", lag_s=25, noise_K=0.02, resolution_K=0.25, interval_s=5),),
        surroundings=Surroundings(temperature_degC=20),
        guards=(
            CutOff(name="Thermal cut-off", body="Hot plate", at_degC=250),
            ProbeFaultAction(name="Probe fault"),
        ),
    )  # fmt: skip
    trial = Trial(
        name="Melt, hold, pour",
        duration_s=5 * _HOUR,
        plan=Plan(changes=(SetpointChange(at_s=0, to_degC=75),)),
        events=(DrawOffRuns(name="Pouring", at_s=3.5 * _HOUR, lasts_s=6 * _MINUTE, draw_off="Tap"),),
        band_K=2,
        marks=(
            Mark(measure="swing_K", limit=7),
            Mark(measure="hottest_degC", body="Hot plate", limit=245),
            Mark(measure="switch_ons_per_h", limit=12),
        ),
    )
    return Project(
        name="Wax pot",
        rig=rig,
        candidates=(
            Candidate(name="On/off ±1", controller=OnOff(below_K=1, above_K=1)),
            Candidate(name="On/off −1 +0", controller=OnOff(below_K=1, above_K=0, shortest_off_s=60)),
            Candidate(name="P", controller=Pid(terms="P", kp_per_K=0.25)),
        ),
        trials=(trial,),
        logs=(recorded("wax-relay-swings.txt", "an evening on and off", used=LogSpan(from_s=0, to_s=2.45 * _HOUR)),),
        chosen="On/off −1 +0",
    )
