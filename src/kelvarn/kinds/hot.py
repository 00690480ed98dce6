"""Kilns, and rooms against the weather."""

from kelvarn.model.drives import Relay, SlowWindow
from kelvarn.model.fields import SURROUNDINGS
from kelvarn.model.mark import Mark
from kelvarn.model.origins import Layer, Piece
from kelvarn.model.project import Project
from kelvarn.model.rig import Rig
from kelvarn.sentence import say
from kelvarn.units import Quantity

from . import parts
from .kind import Answers, Kind, Question, begun, guessed

_BRICK_J_PER_M2K = 800.0 * 1000.0  # of insulating brick, by volume


def _kiln(answers: Answers) -> Project:
    watts, setpoint, thick = answers["power"], answers["setpoint"], answers["wall"]
    area = parts.box_area_m2(answers["size"])
    brick = 0.2 * _BRICK_J_PER_M2K * area * thick  # a fifth of it is as hot as its face
    radiates = parts.rounded(0.5 * area)
    rig = Rig(
        bodies=(
            parts.of_capacity("Elements", max(0.3 * watts, 50.0), 0.4, limit_degC=1250.0,
                              limit_why=say("usual limit of the wire, to be looked up")),
            parts.of_capacity("Chamber", 1500.0 + 20_000.0 * answers["size"], 0.5),
            parts.of_capacity("Brick face", brick, 0.4),
        ),
        links=(
            parts.link("Elements", "Chamber", 0.5, 0.5, radiating_m2=parts.rounded(0.15 * area)),
            parts.link("Chamber", "Brick face", 5.0 * area, 0.5, radiating_m2=radiates),
            parts.wall("Brick face", area * 1.3, Layer(material="insulating firebrick", thickness_m=thick)),
        ),
        drives=(SlowWindow.model_validate({"name": "Coils", "body": "Elements", "power_W": watts, "window_s": 5.0,
                                           "tolerances": parts.power_guess(watts)}),),
        probes=(parts.probe("Chamber", "type K thermocouple", lag_s=25.0, noise_K=0.4, interval_s=5.0),),
        surroundings=parts.surroundings(20.0),
        guards=parts.guards("Probe", min(setpoint + max(0.15 * setpoint, 30.0), 1240.0)),
    )  # fmt: skip
    return begun("Kiln", rig, answers, (Mark(measure="hottest_degC", body="Elements", limit=1230.0),))


def _room(answers: Answers) -> Project:
    floor, watts, setpoint = answers["size"], answers["power"], answers["setpoint"]
    walls, outside = 2.4 * floor + 8.0, answers["outside"]
    rig = Rig(
        bodies=(
            parts.of_capacity("Air", 2.2 * floor * 1.2 * 1005 * 3, 0.4),
            parts.made_of("Walls", Piece(material="softwood", shape="volume", volume_m3=walls * 0.02), size=0.4),
        ),
        links=(
            parts.still_air("Air", "Walls", walls * 0.6),
            parts.wall("Walls", walls, Layer(material="softwood", thickness_m=0.02),
                       Layer(material="glass wool", thickness_m=0.03)),
            parts.link("Air", SURROUNDINGS, 0.5 * floor, 0.5, say("the same on a windy and on a still night"),
                       opened_W_per_K=round(15.0 + floor, 1)),
        ),
        drives=(Relay.model_validate({"name": "Heater", "body": "Air", "power_W": watts, "shortest_on_s": 60.0,
                                      "shortest_off_s": 60.0, "tolerances": parts.power_guess(watts)}),),
        probes=(parts.probe("Air", lag_s=60.0, interval_s=10.0),),
        surroundings=parts.surroundings(outside).model_copy(
            update={"tolerances": (
                guessed("temperature_degC", outside, 8.0, say("the coldest night of the last years")),
            )}),
        guards=parts.guards("Probe", setpoint + 20.0),
    )  # fmt: skip
    return begun("Room", rig, answers)


KILN = Kind(
    "kiln", say("A kiln or oven"), say("radiation, thermocouple"),
    (
        Question("size", say("How much room is inside?"), Quantity.VOLUME, 0.02, 0.0005, 5.0),
        Question("wall", say("How thick is the brick?"), Quantity.LENGTH, 0.1, 0.01, 0.6),
        parts.power(say("How strong are the elements?"), 3000.0, 100_000.0),
        parts.setpoint(say("How hot?"), 850.0, 100.0, 1150.0),
        parts.close(8.0), parts.fast(3 * 3600.0),
    ),
    _kiln, ("heater", "body", "wall"),
)  # fmt: skip
ROOM = Kind(
    "room", say("A room, shed or greenhouse"), say("frost, weather, times of day"),
    (
        Question("size", say("How large is the floor?"), Quantity.AREA, 8.0, 0.5, 500.0),
        Question("outside", say("How cold does it get outside?"), Quantity.TEMPERATURE, -8.0, -50.0, 40.0),
        parts.power(say("How strong is the heater?"), 2000.0, 100_000.0),
        parts.setpoint(say("How warm?"), 6.0, -5.0, 35.0),
        parts.close(1.5), parts.fast(3 * 3600.0),
    ),
    _room, ("wall", "heater", "body", "wall"),
)  # fmt: skip
