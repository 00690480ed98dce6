"""What is cooled: by a fan, or by a compressor or a cooling element."""

from kelvarn.model.bodies import Body
from kelvarn.model.drives import Fan, Relay
from kelvarn.model.fields import SURROUNDINGS
from kelvarn.model.goal import Goal
from kelvarn.model.guards import ProbeFaultAction
from kelvarn.model.mark import Mark
from kelvarn.model.origins import Layer, Piece
from kelvarn.model.project import Project
from kelvarn.model.rig import Rig
from kelvarn.sentence import say
from kelvarn.units import Quantity

from . import parts
from .kind import Answers, Kind, Question, begun, guessed


def _heatsink(answers: Answers) -> Project:
    watts, setpoint, full = answers["power"], answers["setpoint"], answers["fan"]
    still, most = 1.0 / (5.0 * full), setpoint + 15.0
    moved = parts.rounded(1.0 / full - still)
    source = Body.model_validate({
        "name": "Source", "capacity_J_per_K": 20.0, "own_heat_W": watts, "limit_degC": most + 25.0,
        "limit_why": say("usual limit of a case, to be looked up"),
        "tolerances": (guessed("own_heat_W", watts, 0.2, say("volts and amps of what gets hot")),
                       guessed("capacity_J_per_K", 20.0, 0.5, parts.BY_STEP)),
    })  # fmt: skip
    rig = Rig(
        bodies=(
            source,
            parts.made_of("Sink", Piece(material="aluminium alloy", shape="mass", mass_kg=0.25 / full**0.7), size=0.3,
                           limit_degC=most, limit_why=say("as hot as it should ever get")),
        ),
        links=(
            parts.link("Source", "Sink", 4.0, 0.4, say("the step from case to sink at a known power")),
            parts.link("Sink", SURROUNDINGS, still, 0.4, say("the data sheet without a fan"), driven_by="Fan",
                       full_W_per_K=moved).model_copy(
                update={"tolerances": (guessed("conductance_W_per_K", parts.rounded(still), 0.4, parts.BY_HOLD),
                                       guessed("full_W_per_K", moved, 0.3, say("the data sheet with that fan")))}),
        ),
        drives=(Fan(name="Fan", starts_from=0.25, stalls_below=0.18, pwm_Hz=25_000.0),),
        probes=(parts.probe("Sink", "NTC 10 kΩ, Beta 3950, 10 bits", name="NTC", lag_s=5.0, noise_K=0.05,
                            interval_s=1.0, resolution_K=0.0),),
        surroundings=parts.surroundings(25.0),
        guards=(ProbeFaultAction(name="Probe fault", action="on"),),
        goal=Goal(body="Sink", high_degC=most, why=say("what sits on it gets too hot")),
    )  # fmt: skip
    return begun("Heatsink", rig, answers, (Mark(measure="hottest_degC", body="Sink", limit=most),))


def _fridge(answers: Answers) -> Project:
    watts, setpoint = answers["power"], answers["setpoint"]
    area = parts.box_area_m2(answers["size"])
    rig = Rig(
        bodies=(
            parts.of_capacity("Cold plate", 800.0 + 8.0 * watts, 0.4, low_limit_degC=-40.0),
            parts.of_capacity("Air", 1.2 * 1005 * answers["size"] + 3000.0 * answers["size"] ** 0.5, 0.5),
            parts.made_of("Load", Piece(material="water", shape="mass", mass_kg=answers["load"]), size=0.4),
        ),
        links=(
            parts.still_air("Cold plate", "Air", 0.35 * area),
            parts.still_air("Air", "Load", 0.06 * max(answers["load"], 0.01) ** (2 / 3)),
            parts.wall("Air", area, Layer(material="polyurethane foam", thickness_m=0.04)),
        ),
        drives=(Relay.model_validate({"name": "Cooler", "body": "Cold plate", "acts": "cools", "power_W": watts,
                                      "shortest_on_s": 60.0, "shortest_off_s": 180.0, "resistive": False,
                                      "tolerances": parts.power_guess(watts)}),),
        probes=(parts.probe("Air", lag_s=30.0, interval_s=5.0),), surroundings=parts.surroundings(22.0),
        guards=(ProbeFaultAction(name="Probe fault", action="fixed", duty=0.3),),
        goal=Goal(body="Load", high_degC=setpoint + 3 * answers["close"], why=say("what is in it spoils")),
    )  # fmt: skip
    return begun("Cooled box", rig, answers)


HEATSINK = Kind(
    "heatsink", say("A heatsink with a fan"), say("from watts and a fan's data sheet"),
    (
        Question("power", say("How many watts must it get rid of?"), Quantity.POWER, 40.0, 0.5, 5000.0),
        Question("fan", say("Kelvins for each watt, fan at full?"), Quantity.NUMBER, 0.5, 0.01, 20.0),
        parts.setpoint(say("How hot may the sink be?"), 55.0, 30.0, 120.0), parts.close(3.0), parts.fast(1800.0),
    ),
    _heatsink, ("body", "fan"),
)  # fmt: skip
FRIDGE = Kind(
    "fridge", say("A fridge, cellar or cooled bowl"), say("cooling, restart delay"),
    (
        Question("size", say("How much room is inside?"), Quantity.VOLUME, 0.1, 0.001, 50.0),
        Question("load", say("How heavy is what is in it?"), Quantity.MASS, 8.0, 0.0, 5000.0),
        parts.power(say("How much heat does the cooler take?"), 90.0),
        parts.setpoint(say("How cold?"), 5.0, -30.0, 25.0),
        parts.close(2.0), parts.fast(4 * 3600.0),
    ),
    _fridge, ("cooler", "body", "wall"),
)  # fmt: skip
