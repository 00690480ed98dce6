"""One body, and humidity; what is known only by a log begins at Fit."""

from kelvarn.model.drives import Pwm, Relay
from kelvarn.model.fields import SURROUNDINGS
from kelvarn.model.goal import Goal
from kelvarn.model.guards import ProbeFaultAction, Trip
from kelvarn.model.probes import Probe
from kelvarn.model.project import Project
from kelvarn.model.response import ResponseModel
from kelvarn.model.rig import Rig
from kelvarn.sentence import say
from kelvarn.units import Quantity

from . import parts
from .kind import Answers, Kind, Question, begun, guessed


def _one(answers: Answers) -> Project:
    watts, setpoint = answers["power"], answers["setpoint"]
    rig = Rig(
        bodies=(parts.of_capacity("Body", answers["size"], 0.3),),
        links=(parts.link("Body", SURROUNDINGS, answers["loss"], 0.3, parts.BY_HOLD),),
        drives=(Pwm.model_validate({"name": "Heater", "body": "Body", "power_W": watts,
                                    "tolerances": parts.power_guess(watts)}),),
        probes=(parts.probe("Body"),), surroundings=parts.surroundings(20.0),
        guards=parts.guards("Probe", setpoint + max(10.0, 0.2 * abs(setpoint))),
    )  # fmt: skip
    return begun("One body", rig, answers)


def _humid(answers: Answers) -> Project:
    rest, top, lag = answers["rest"], answers["full"], answers["lag"]
    gain = max(top - rest, 1.0)
    response = ResponseModel(
        kind="one_lag", name="Air", gain_K=gain, lag_s=lag, dead_time_s=0.06 * lag, start_degC=rest, unit="% RH",
        tolerances=(
            guessed("gain_K", gain, 0.3, say("fogger on until nothing moves any more")),
            guessed("lag_s", lag, 0.4, say("a log of that: Fit")),
            guessed("dead_time_s", 0.06 * lag, 0.5, say("the same log: until it first moves")),
        ),
    )  # fmt: skip
    setpoint, close = answers["setpoint"], answers["close"]
    rig = Rig(
        response=response,
        drives=(Relay(name="Fogger", body="Air", power_W=30.0, shortest_on_s=3.0, shortest_off_s=3.0),),
        probes=(Probe(name="Probe", body="Air", lag_s=8.0, noise_K=0.3, resolution_K=0.1, interval_s=2.0,
                      lowest_degC=0.0, highest_degC=100.0),),
        surroundings=parts.surroundings(rest),
        guards=(Trip(name="Too damp", probe="Probe", at_degC=round(min(setpoint + 4 * close + 3, 99.0), 1)),
                ProbeFaultAction(name="Probe fault", action="off")),
        goal=Goal(body="Air", low_degC=setpoint - 2 * close, high_degC=min(setpoint + 2 * close, 100.0),
                  why=say("it is not good for what it is for")),
    )  # fmt: skip
    return begun("Humid box", rig, answers)


ONE = Kind(
    "one", say("Something else: one body"), say("add what it has"),
    (
        Question("size", say("How much heat warms it by a kelvin?"), Quantity.CAPACITY, 500.0, 0.1, 1e8),
        Question("loss", say("How much does it lose for each kelvin?"), Quantity.CONDUCTANCE, 1.0, 0.001, 1e5),
        parts.power(say("How strong is the heater?"), 60.0, 1e6),
        parts.setpoint(say("How warm?"), 50.0, -100.0, 1500.0),
        parts.close(1.0), parts.fast(1800.0),
    ),
    _one, ("heater", "body"),
)  # fmt: skip
HUMID = Kind(
    "humid", say("Hold humidity"), say("a fogger, its answer, no heat"),
    (
        Question("rest", say("How damp is it by itself? In % RH"), Quantity.NUMBER, 45.0, 0.0, 95.0),
        Question("full", say("And with the fogger on for good? In % RH"), Quantity.NUMBER, 98.0, 5.0, 100.0),
        Question("lag", say("How long until most of the way?"), Quantity.DURATION, 480.0, 5.0, 86400.0),
        Question("setpoint", say("How damp must it be? In % RH"), Quantity.NUMBER, 80.0, 5.0, 99.0),
        Question("close", say("How close must it stay? In % RH"), Quantity.NUMBER, 4.0, 0.1, 30.0),
        parts.fast(1800.0),
    ),
    _humid, ("cooler", "body"),
)  # fmt: skip
