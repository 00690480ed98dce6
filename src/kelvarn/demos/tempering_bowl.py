"""A bowl in which chocolate is tempered: warmed, cooled and warmed again; a plate that heats and cools."""

from kelvarn.model.bodies import Body, Link, Surroundings
from kelvarn.model.candidate import Candidate
from kelvarn.model.drives import Pwm
from kelvarn.model.events import ColdPart
from kelvarn.model.fields import SURROUNDINGS
from kelvarn.model.goal import Goal
from kelvarn.model.guards import CutOff, LinkLost, ProbeFaultAction
from kelvarn.model.mark import Mark
from kelvarn.model.on_off import OnOff
from kelvarn.model.pid import Pid
from kelvarn.model.probes import Probe
from kelvarn.model.project import Project
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Plan, SetpointChange, Trial

from .recorded import recorded

_MINUTE = 60.0


def tempering_bowl() -> Project:
    """The project: on/off, PI and PID through a plan that goes up, down and up again."""
    rig = Rig(
        bodies=(
            Body(name="Plate", capacity_J_per_K=420, limit_degC=75, limit_why="glue under the plate"),
            Body(name="Bowl", capacity_J_per_K=380),
            Body(name="Chocolate", capacity_J_per_K=1350, limit_degC=50, limit_why="milk protein burns"),
        ),
        links=(
            Link(a="Plate", b="Bowl", conductance_W_per_K=9),
            Link(a="Bowl", b="Chocolate", conductance_W_per_K=12),
            Link(a="Bowl", b=SURROUNDINGS, conductance_W_per_K=0.5),
            Link(a="Chocolate", b=SURROUNDINGS, conductance_W_per_K=0.6),
        ),
        drives=(
            Pwm(name="Heater foil", body="Plate", power_W=140, steps=255),
            Pwm(name="Cooler", body="Plate", power_W=110, acts="cools", steps=255, resistive=False),
        ),
        probes=(Probe(name="Probe", body="Chocolate", lag_s=12, noise_K=0.02, resolution_K=0.05, interval_s=2),),
        surroundings=Surroundings(temperature_degC=21),
        guards=(
            CutOff(name="Thermal cut-off", body="Bowl", at_degC=50),
            ProbeFaultAction(name="Probe fault"),
            LinkLost(name="Watchdog", after_s=5),
        ),
        goal=Goal(
            body="Chocolate", high_degC=48, why="the milk protein burns", source="what the wrapper says, less 2 K"
        ),
    )  # fmt: skip
    trial = Trial(
        name="Up, down, up again",
        duration_s=105 * _MINUTE,
        plan=Plan(
            changes=(
                SetpointChange(at_s=0, to_degC=46),
                SetpointChange(at_s=32 * _MINUTE, to_degC=27.2, ramp_K_per_s=0.7 / 60),
                SetpointChange(at_s=66 * _MINUTE, to_degC=31.4, ramp_K_per_s=0.4 / 60),
            )
        ),
        events=(
            ColdPart(
                name="Chips stirred in", at_s=85 * _MINUTE, capacity_J_per_K=95, part_degC=21, contact_W_per_K=3,
                body="Chocolate",
            ),
        ),
        band_K=0.4,
        marks=(
            Mark(measure="hottest_degC", body="Chocolate", limit=47.5),
            Mark(measure="worst_under_K", limit=1.2),
            Mark(measure="worst_over_K", limit=2.2),
            Mark(measure="recovery_s", event="Chips stirred in", limit=12 * _MINUTE),
            Mark(measure="hottest_degC", body="Plate", limit=70),
        ),
    )  # fmt: skip
    return Project(
        name="Tempering bowl",
        rig=rig,
        candidates=(
            Candidate(name="On/off both ways", controller=OnOff(below_K=0.3, above_K=0.1, dead_band_K=0.6)),
            Candidate(
                name="PI, one gain",
                controller=Pid(terms="PI", kp_per_K=0.25, ti_s=8 * _MINUTE, td_s=0, low=-1, setpoint_weight=0.5),
            ),
            Candidate(
                name="PID, own cooling gain",
                controller=Pid(
                    kp_per_K=0.45, ti_s=5 * _MINUTE, td_s=35, low=-1, cooling_ratio=1.3, dead_band=0.04,
                    setpoint_weight=0.4,
                ),
            ),
        ),
        trials=(trial,),
        logs=(recorded("bowl-hold-and-cool.tsv", "hold, then cool"),),
        chosen="PID, own cooling gain",
    )  # fmt: skip
