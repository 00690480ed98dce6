"""An amplifier's heatsink with a fan: transistors, sink, case air; the fan cools, a second probe guards."""

from kelvarn.model.bodies import Body, Link, Surroundings
from kelvarn.model.candidate import Candidate
from kelvarn.model.curve import Curve, CurveStep
from kelvarn.model.drives import Fan
from kelvarn.model.events import Load, SurroundingsChange
from kelvarn.model.fields import SURROUNDINGS
from kelvarn.model.guards import CutOff, LinkLost, ProbeFaultAction, Trip
from kelvarn.model.mark import Mark
from kelvarn.model.origins import Stream
from kelvarn.model.pid import Pid
from kelvarn.model.probes import Converter, Probe
from kelvarn.model.project import Project
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Plan, SetpointChange, Trial

from .recorded import recorded

_MINUTE = 60.0


def heatsink_fan() -> Project:
    """The project: an evening of music, two fan curves against PI."""
    rig = Rig(
        bodies=(
            Body(name="Transistors", capacity_J_per_K=25, own_heat_W=30, limit_degC=125, limit_why="data sheet"),
            Body(name="Sink", capacity_J_per_K=420, limit_degC=95, limit_why="touch and mica pads"),
            Body(name="Case air", capacity_J_per_K=30),
        ),
        links=(
            Link(a="Transistors", b="Sink", conductance_W_per_K=2.8),
            Link(a="Sink", b="Case air", conductance_W_per_K=0.5, driven_by="Fan", full_W_per_K=2.6),
            Link(
                a="Case air",
                b=SURROUNDINGS,
                conductance_W_per_K=0.8,
                driven_by="Fan",
                full_W_per_K=13.5,
                flow_exponent=1.0,
                stream=Stream(flow_m3_per_s=40 / 3600),
            ),
        ),
        drives=(
            Fan(power_W=3.6, steps=255, floor=0.25, off_below=0.1, stalls_below=0.2, starts_from=0.28, kick_start_s=1.4,
                speed_lag_s=1.5, rated_V=24, supply_V=21.5, pwm_Hz=400),
        ),
        probes=(
            Probe(name="NTC", body="Sink", lag_s=8, noise_K=0.05, interval_s=1, lowest_degC=-20, highest_degC=140,
                  converter=Converter(bits=10)),
            Probe(name="Guard", body="Transistors", role="guard", lag_s=2, interval_s=1),
        ),
        surroundings=Surroundings(temperature_degC=24),
        guards=(
            CutOff(name="Bimetal", body="Sink", at_degC=88, resets_K=20, does="load"),
            Trip(name="Mute", probe="Guard", at_degC=112, does="load"),
            ProbeFaultAction(name="NTC fault", action="on"),
            LinkLost(name="Watchdog", after_s=5, action="on"),
        ),
    )  # fmt: skip
    trial = Trial(
        name="Quiet, loud, warm room",
        duration_s=60 * _MINUTE,
        plan=Plan(changes=(SetpointChange(at_s=0, to_degC=52),)),
        events=(
            Load(name="Loud", at_s=10 * _MINUTE, lasts_s=25 * _MINUTE, body="Transistors", power_W=48),
            SurroundingsChange(name="Warm room", at_s=45 * _MINUTE, change_K=8),
        ),
        band_K=1.5,
        marks=(
            Mark(measure="hottest_degC", body="Sink", limit=62),
            Mark(measure="hottest_degC", body="Transistors", limit=95),
            Mark(measure="travel", limit=12),
            Mark(measure="switch_ons_per_h", limit=4),
        ),
    )
    return Project(
        name="Heatsink fan",
        rig=rig,
        candidates=(
            Candidate(
                name="Three steps",
                controller=Curve(
                    steps=(
                        CurveStep(from_degC=47, drive=0.3, back_off_K=2.5),
                        CurveStep(from_degC=53, drive=0.5, back_off_K=0),
                        CurveStep(from_degC=61, drive=1.0, back_off_K=2.5),
                    )
                ),
                notes="Its second step has no hysteresis: look at it in the curve picture, and give it one.",
            ),
            Candidate(
                name="Quiet ramp",
                controller=Curve(shape="ramp", start_degC=45, full_degC=66, floor=0.28, back_off_K=3, rate_per_s=0.02),
            ),
            Candidate(
                name="Quiet PI", controller=Pid(terms="PI", kp_per_K=0.06, ti_s=90, td_s=0, low=0.28, rate_per_s=0.05)
            ),
        ),
        trials=(trial,),
        logs=(recorded("heatsink-fan-steps.jsonl", "fan up and down"),),
        chosen="Quiet PI",
    )
