"""Icing: what grows on a body below 0 °C in damp air. A coarse model, and said to be one."""

from typing import Literal

from kelvarn.units import Quantity

from .fields import ModelBase, field, number


class Icing(ModelBase):
    """Ice on one end of a link to air: it insulates the link, and chokes the fan that blows along it."""

    iced: Literal["a", "b"] = field(
        "a", "Ice grows on", "The end of the link that gets cold; the other one is the air."
    )
    dew_point_degC: float = number(
        5.0, Quantity.TEMPERATURE, -60.0, 60.0, "Dew point of the air",
        "How damp the air is: what is colder than this takes water out of it.",
    )  # fmt: skip
    area_m2: float = number(0.5, Quantity.AREA, 1e-4, 1e4, "Iced surface", "Surface over which the ice spreads evenly.")
    blocks_kg: float | None = number(
        None, Quantity.MASS, 1e-3, 1e5, "Blocks at",
        "So much ice closes the way of the air; empty: there is always room beside it.", empty="never",
    )  # fmt: skip
    start_kg: float = number(0.0, Quantity.MASS, 0.0, 1e5, "Ice at the start", "What has grown before.")
