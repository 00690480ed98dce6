"""What a value was worked out from: pieces of material, layers of a wall, a nameplate. Kept with the value."""

from typing import Literal

from pydantic import model_validator

from kelvarn.sentence import figures, say
from kelvarn.units import Quantity

from .fields import ModelBase, Name, field, number
from .materials import MATERIALS


def _known(material: str) -> None:
    if material not in MATERIALS:
        raise ValueError(
            say("“{material}” is not a known material; type its J/K or W/K instead, or choose one like it",
                material=material)
        )  # fmt: skip


class Piece(ModelBase):
    """A piece of a body: a material with its mass, volume or size."""

    material: str = field("aluminium alloy", "Material", "What it is made of.")
    shape: Literal["mass", "volume", "box", "cylinder", "pipe"] = field(
        "mass", "Given by", "How its amount is given: mass, volume, or the size of a box, a cylinder or a pipe."
    )
    mass_kg: float = number(0.1, Quantity.MASS, 0.0, 1e6, "Mass", "Mass of it.")
    volume_m3: float = number(0.001, Quantity.VOLUME, 0.0, 1e6, "Volume", "Volume of it.")
    length_m: float = number(0.1, Quantity.LENGTH, 0.0, 1e4, "Length", "Length of it.")
    width_m: float = number(0.1, Quantity.LENGTH, 0.0, 1e4, "Width", "Width of a box.")
    height_m: float = number(0.01, Quantity.LENGTH, 0.0, 1e4, "Height", "Height or thickness of a box.")
    diameter_m: float = number(0.02, Quantity.LENGTH, 0.0, 1e4, "Diameter", "Outer diameter.")
    wall_m: float = number(0.001, Quantity.LENGTH, 0.0, 1e4, "Wall", "Thickness of a pipe's wall.")

    @model_validator(mode="after")
    def _material_known(self) -> "Piece":
        _known(self.material)
        if self.shape == "pipe" and 2 * self.wall_m > self.diameter_m:
            raise ValueError(
                say("a pipe's wall must be at most half its diameter ({half})",
                    half=figures(f"{self.diameter_m / 2:g}", "m"))
            )  # fmt: skip
        return self


class Layer(ModelBase):
    """A layer of a wall."""

    material: str = field("plywood", "Material", "What the layer is made of.")
    thickness_m: float = number(0.01, Quantity.LENGTH, 1e-5, 10.0, "Thickness", "Thickness of the layer.")

    @model_validator(mode="after")
    def _material_known(self) -> "Layer":
        _known(self.material)
        return self


class Wall(ModelBase):
    """A wall of layers with a film of air on either side."""

    area_m2: float = number(1.0, Quantity.AREA, 1e-6, 1e5, "Area", "Area that the heat goes through.")
    layers: tuple[Layer, ...] = field((Layer(),), "Layers", "Layers from inside to outside.", max_length=12)
    inside: Literal["still", "moving", "liquid"] = field("still", "Inside", "What touches the inner side.")
    inside_speed_m_per_s: float = number(
        1.0, Quantity.NUMBER, 0.0, 50.0, "Speed inside, m/s", "Speed of moving air at the inner side."
    )
    outside: Literal["still", "moving", "liquid"] = field("still", "Outside", "What touches the outer side.")
    outside_speed_m_per_s: float = number(
        1.0, Quantity.NUMBER, 0.0, 50.0, "Speed outside, m/s", "Speed of moving air at the outer side."
    )
    facing: Literal["sideways", "up", "down"] = field("sideways", "Heat goes", "Which way the heat goes through it.")


class Nameplate(ModelBase):
    """What stands on a heater: volts, and ohms or amps."""

    supply_V: float = number(230.0, Quantity.VOLTAGE, 0.1, 1e5, "Supply", "Voltage at the heater.")
    gives: Literal["ohm", "amp"] = field("ohm", "Known", "Whether its resistance or its current is known.")
    resistance_ohm: float = number(100.0, Quantity.RESISTANCE, 0.001, 1e6, "Resistance", "Resistance when hot.")
    current_A: float = number(1.0, Quantity.CURRENT, 1e-4, 1e4, "Current", "Current it takes.")


class Radiator(ModelBase):
    """A surface that radiates."""

    emissivity: float = number(0.9, Quantity.NUMBER, 0.01, 1.0, "Emissivity", "0.9 for most, 0.1 for bright metal.")
    area_m2: float = number(0.1, Quantity.AREA, 1e-6, 1e4, "Area", "Area that the other side is seen by.")


class Stream(ModelBase):
    """A stream of air or liquid that carries heat along a link."""

    material: Name = field("air", "Carries", "What is moved.")
    flow_m3_per_s: float = number(50 / 3600, Quantity.FLOW, 1e-9, 1e3, "Flow", "Volume moved at full flow.")

    @model_validator(mode="after")
    def _material_known(self) -> "Stream":
        _known(self.material)
        return self


class Heatsink(ModelBase):
    """A finned heatsink, by its data sheet."""

    resistance_K_per_W: float = number(2.0, Quantity.NUMBER, 1e-4, 1e4, "K/W", "Its thermal resistance to the air.")
