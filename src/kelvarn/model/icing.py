"""Icing: what grows on a body below 0 °C in damp air. A coarse model, and said to be one."""

from collections.abc import Sequence
from typing import TYPE_CHECKING, Literal

from kelvarn.units import Quantity

from .fields import SURROUNDINGS, ModelBase, field, number

if TYPE_CHECKING:
    from .bodies import Body, Link


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


def check_ices(links: Sequence["Link"], bodies: Sequence["Body"]) -> None:
    """Raise ValueError where ice grows on no body, on one that melts, twice on one, or chokes a fan twice."""
    iced: set[str] = set()
    choked: set[str] = set()
    melting = {body.name for body in bodies if body.melting is not None}
    for link in links:
        if link.icing is None:
            continue
        body = link.iced_body
        if body == SURROUNDINGS:
            raise ValueError("ice grows on a body, not on the surroundings: choose the other end of the link")
        if body in iced:
            raise ValueError(f"ice grows on “{body}” from two links; let it take its water along one of them")
        if body in melting:
            raise ValueError(f"“{body}” has a melting range of its own, so that no ice can grow on it")
        iced.add(body)
        if link.driven_by is not None and link.icing.blocks_kg is not None:
            if link.driven_by in choked:
                raise ValueError(f"ice of two links chokes “{link.driven_by}”; let one of them never block")
            choked.add(link.driven_by)
