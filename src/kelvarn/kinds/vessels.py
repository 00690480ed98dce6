"""Boxes, pots and blocks that are heated."""

from kelvarn.model.drives import Pwm, Relay, SlowWindow
from kelvarn.model.fields import SURROUNDINGS
from kelvarn.model.mark import Mark
from kelvarn.model.origins import Layer, Piece
from kelvarn.model.project import Project
from kelvarn.model.rig import Rig
from kelvarn.sentence import say
from kelvarn.units import Quantity

from . import parts
from .kind import Answers, Kind, Question, begun

_ROOM_DEGC = 20.0


def _box(answers: Answers) -> Project:
    litres, watts, setpoint = answers["size"] * 1000, answers["power"], answers["setpoint"]
    area = parts.box_area_m2(answers["size"])
    inside = Piece(material="plywood", shape="volume", volume_m3=area * 0.009)
    rig = Rig(
        bodies=(
            parts.heater("Heater", watts, 120.0),
            parts.of_capacity("Air", 1.2 * 1005 * answers["size"] + 4.0 * litres, 0.5),  # with shelves and fittings
            parts.made_of("Walls", inside),
            parts.made_of("Load", Piece(material="water", shape="mass", mass_kg=answers["load"]), size=0.4),
        ),
        links=(
            parts.link("Heater", "Air", watts / 50.0),
            parts.still_air("Air", "Walls", area),
            parts.still_air("Air", "Load", 0.06 * max(answers["load"], 0.01) ** (2 / 3)),
            parts.wall("Walls", area, Layer(material="plywood", thickness_m=0.009),
                       Layer(material="extruded polystyrene", thickness_m=0.02)),
        ),
        drives=(SlowWindow.model_validate({"name": "Mat", "body": "Heater", "power_W": watts, "dead_time_s": 5.0,
                                           "tolerances": parts.power_guess(watts)}),),
        probes=(parts.probe("Air", lag_s=20.0),), surroundings=parts.surroundings(_ROOM_DEGC),
        guards=parts.guards("Probe", setpoint + max(10.0, 0.2 * setpoint)),
    )  # fmt: skip
    return begun("Heated box", rig, answers, (Mark(measure="hottest_degC", body="Heater", limit=115.0),))


def _pot(answers: Answers) -> Project:
    litres, watts, setpoint = answers["size"] * 1000, answers["power"], answers["setpoint"]
    surface = 0.05 * litres ** (2 / 3)
    rig = Rig(
        bodies=(
            parts.of_capacity("Heater", max(0.5 * watts, 50.0), 0.5, limit_degC=250.0,
                              limit_why=say("usual limit of hot plates, to be looked up")),
            parts.made_of("Liquid", Piece(material="water", shape="volume", volume_m3=answers["size"]),
                          Piece(material="stainless steel", shape="mass", mass_kg=0.25 * litres**0.7), size=0.2),
        ),
        links=(
            parts.link("Heater", "Liquid", watts / 40.0),
            parts.link("Liquid", SURROUNDINGS, 12.0 * surface, 0.5, parts.BY_HOLD),
        ),
        drives=(Relay.model_validate({"name": "Plate", "body": "Heater", "power_W": watts, "shortest_on_s": 5.0,
                                      "shortest_off_s": 5.0, "tolerances": parts.power_guess(watts)}),),
        probes=(parts.probe("Liquid", lag_s=15.0),), surroundings=parts.surroundings(_ROOM_DEGC),
        guards=parts.guards("Probe", setpoint + max(8.0, 0.1 * setpoint)),
    )  # fmt: skip
    return begun("Pot", rig, answers)


def _block(answers: Answers) -> Project:
    mass, watts, setpoint = answers["size"], answers["power"], answers["setpoint"]
    area = 0.045 * mass ** (2 / 3)
    rig = Rig(
        bodies=(
            parts.heater("Cartridge", watts, 400.0),
            parts.made_of("Block", Piece(material="aluminium alloy", shape="mass", mass_kg=mass), size=0.15),
        ),
        links=(
            parts.link("Cartridge", "Block", watts / 60.0),
            parts.link("Block", SURROUNDINGS, 10.0 * area, 0.4, parts.BY_HOLD, radiating_m2=parts.rounded(0.3 * area)),
        ),
        drives=(Pwm.model_validate({"name": "Heater", "body": "Cartridge", "power_W": watts, "dead_time_s": 1.0,
                                    "tolerances": parts.power_guess(watts)}),),
        probes=(parts.probe("Block", "type K thermocouple", lag_s=3.0, noise_K=0.15, interval_s=0.5),),
        surroundings=parts.surroundings(_ROOM_DEGC), guards=parts.guards("Probe", setpoint + max(15.0, 0.1 * setpoint)),
    )  # fmt: skip
    return begun("Block", rig, answers, (Mark(measure="hottest_degC", body="Cartridge", limit=380.0),))


BOX = Kind(
    "box", say("A box or cabinet with a heater"), say("bodies: heater, air, walls, what is in it"),
    (
        Question("size", say("How much room is inside?"), Quantity.VOLUME, 0.06, 0.0005, 20.0),
        Question("load", say("How heavy is what is in it?"), Quantity.MASS, 1.5, 0.0, 2000.0),
        parts.power(say("How strong is the heater?"), 200.0), parts.setpoint(say("How warm?"), 60.0, -20.0, 110.0),
        parts.close(1.0), parts.fast(3600.0),
    ),
    _box, ("heater", "body", "wall"),
)  # fmt: skip
POT = Kind(
    "pot", say("A pot, tank or bath"), say("stored heat, melting, draw-offs"),
    (
        Question("size", say("How much is in it?"), Quantity.VOLUME, 0.003, 0.0001, 10.0),
        parts.power(say("How strong is the heater?"), 1000.0, 200_000.0),
        parts.setpoint(say("How warm?"), 65.0, 0.0, 98.0),
        parts.close(2.0), parts.fast(3600.0),
    ),
    _pot, ("body", "heater"),
)  # fmt: skip
BLOCK = Kind(
    "block", say("A block or plate"), say("hot end, press, soldering, sample"),
    (
        Question("size", say("How heavy is the metal?"), Quantity.MASS, 0.4, 0.005, 500.0),
        parts.power(say("How strong is the heater?"), 120.0), parts.setpoint(say("How hot?"), 180.0, 25.0, 350.0),
        parts.close(1.5), parts.fast(900.0),
    ),
    _block, ("heater", "body"),
)  # fmt: skip
