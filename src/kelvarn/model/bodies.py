"""What holds heat and how it gets from one to the other: bodies, links, draw-offs, surroundings."""

from collections.abc import Sequence

from pydantic import model_validator

from kelvarn.sentence import figures, say
from kelvarn.units import Quantity

from .fields import SURROUNDINGS, ModelBase, Name, OneLine, end_name, field, number
from .icing import Icing
from .origins import Heatsink, Piece, Radiator, Stream, Wall
from .tolerances import Tolerance

COLDEST_DEGC = -273.0
HOTTEST_DEGC = 3000.0


def temperature(default: object, title: str, text: str, **more: object) -> float:
    """A temperature field over the whole range the model allows."""
    found: float = number(default, Quantity.TEMPERATURE, COLDEST_DEGC, HOTTEST_DEGC, title, text, **more)
    return found


class Melting(ModelBase):
    """A range of temperature in which a body melts: its latent heat counts as heat capacity there."""

    from_degC: float = temperature(..., "Melts from", "Below this all of it is solid.")
    to_degC: float = temperature(..., "Melted at", "Above this all of it is liquid.")
    latent_J: float = number(..., Quantity.ENERGY, 0.001, 1e13, "Latent heat", "Heat it takes to melt all of it.")

    @model_validator(mode="after")
    def _in_order(self) -> "Melting":
        if self.to_degC - self.from_degC < 0.01 - 1e-9:
            raise ValueError(
                say("melted at must be at least {least} above melts from ({start}), not {end}",
                    least=figures("0.01", "K"), start=figures(f"{self.from_degC:g}", "°C"),
                    end=figures(f"{self.to_degC:g}", "°C"))
            )  # fmt: skip
        return self


class Body(ModelBase):
    """Something with one temperature and a heat capacity."""

    name: Name = field(..., "Name", "What the body is called.")
    capacity_J_per_K: float = number(
        ..., Quantity.CAPACITY, 0.01, 1e10, "Heat capacity", "Heat it takes to warm the body by one kelvin."
    )
    start_degC: float | None = temperature(
        None, "Starts at", "Temperature at a cold start; empty means that of the surroundings."
    )
    limit_degC: float | None = temperature(
        None, "Rated limit", "Hottest the body may get; empty means no limit is known."
    )
    low_limit_degC: float | None = temperature(
        None, "Lower limit", "Coldest the body may get, such as where roots freeze; empty means no such limit."
    )
    limit_why: OneLine = field("", "Limit is", "What the rated limit comes from, such as a material.", max_length=80)
    own_heat_W: float = number(
        0.0, Quantity.POWER, -1e7, 1e7, "Heat of its own", "Heat that it makes all the time, such as electronics do."
    )
    ready_K: float | None = number(
        None, Quantity.DIFFERENCE, 0.001, 500.0, "Ready within",
        "It matters that it is this near to the setpoint for the rig to be ready; empty: it does not matter.",
        empty="does not matter",
    )  # fmt: skip
    melting: Melting | None = field(None, "Melting", "Its melting range; none where it does not melt.")
    tolerances: tuple[Tolerance, ...] = field(
        (), "Tolerances", "How far its values may be off, where not as usual.", max_length=20
    )
    made_of: tuple[Piece, ...] = field((), "Made of", "What its heat capacity was worked out from.", max_length=20)

    def margin_K(self, lowest_degC: float, highest_degC: float) -> float | None:
        """What was left to the nearer of its limits; None where it has none."""
        left = [] if self.limit_degC is None else [self.limit_degC - highest_degC]
        left += [] if self.low_limit_degC is None else [lowest_degC - self.low_limit_degC]
        return min(left, default=None)


class Link(ModelBase):
    """A way for heat between two bodies, or between a body and the surroundings."""

    a: Name = field(..., "From", "One end: a body.")
    b: Name = field(..., "To", "The other end: a body or the surroundings.")
    conductance_W_per_K: float = number(
        ..., Quantity.CONDUCTANCE, 0.0, 1e6, "Conductance", "Heat that flows per kelvin between the two ends."
    )
    radiating_m2: float = number(
        0.0, Quantity.AREA, 0.0, 1e4, "Radiates over", "Emissivity times area that radiates from one end to the other."
    )
    driven_by: Name | None = field(None, "Driven by", "The fan or valve that moves air or liquid along it.")
    full_W_per_K: float = number(
        0.0, Quantity.CONDUCTANCE, 0.0, 1e6, "At full flow", "Conductance that full flow adds."
    )
    flow_exponent: float = number(
        0.8, Quantity.NUMBER, 0.1, 2.0, "Flow exponent", "Conductance added grows with relative flow to this power."
    )
    opened_W_per_K: float = number(
        0.0, Quantity.CONDUCTANCE, 0.0, 1e6, "Door opens: extra", "Conductance that an open door adds."
    )

    tolerances: tuple[Tolerance, ...] = field(
        (), "Tolerances", "How far its values may be off, where not as usual.", max_length=20
    )
    icing: Icing | None = field(None, "Ice", "Ice that grows at one of its ends; none leaves damp out.")
    wall: Wall | None = field(None, "Wall", "The wall its conductance was worked out from.")
    heatsink: Heatsink | None = field(None, "Heatsink", "The heatsink its conductance was worked out from.")
    radiator: Radiator | None = field(None, "Surface", "The surface its radiation was worked out from.")
    stream: Stream | None = field(None, "Stream", "The stream its conductance at full flow was worked out from.")

    def joins(self, first: str, second: str) -> bool:
        """Whether the link joins these two, in either order."""
        return {self.a, self.b} == {first, second}

    @property
    def text(self) -> str:
        """What it is called: its two ends."""
        return say("{one} – {other}", one=end_name(self.a), other=end_name(self.b))

    @property
    def iced_body(self) -> str:
        """The end on which ice grows, where it does."""
        return self.b if self.icing is not None and self.icing.iced == "b" else self.a

    @property
    def carries(self) -> bool:
        """Whether heat can ever flow along it."""
        driven = self.driven_by is not None and self.full_W_per_K > 0
        return self.conductance_W_per_K > 0 or self.radiating_m2 > 0 or driven


class DrawOff(ModelBase):
    """Liquid or air that leaves a body while as much comes in at another temperature; a trial says when."""

    name: Name = field(..., "Name", "What the draw-off is called.")
    body: Name = field(..., "Out of", "The body it is drawn from.")
    flow_W_per_K: float = number(
        ..., Quantity.CONDUCTANCE, 0.0, 1e6, "Flow × specific heat",
        "Mass flow times specific heat; 1 L of water a minute is 69.6 W/K.",
    )  # fmt: skip
    inlet_degC: float | None = temperature(
        None, "Comes in at", "Temperature of what comes in; empty means that of the surroundings."
    )
    always: bool = field(False, "Runs always", "Whether it runs all the time rather than during events.")
    tolerances: tuple[Tolerance, ...] = field(
        (), "Tolerances", "How far its values may be off, where not as usual.", max_length=20
    )


class Surroundings(ModelBase):
    """What lies outside and takes the heat in the end."""

    temperature_degC: float = temperature(20.0, "Temperature", "How warm the surroundings are.")
    tolerances: tuple[Tolerance, ...] = field(
        (), "Tolerances", "How far its values may be off, where not as usual.", max_length=20
    )


def check_link(link: Link, names: list[str]) -> None:
    """Raise ValueError where an end of a link does not exist or both are one."""
    for end in (link.a, link.b):
        if end != SURROUNDINGS and end not in names:
            raise ValueError(say("a link names the body “{end}”, which does not exist", end=end))
    if link.a == link.b:
        raise ValueError(say("a link joins “{a}” to itself; it needs two different ends", a=link.a))


def check_ices(links: Sequence[Link], bodies: Sequence[Body]) -> None:
    """Raise ValueError where ice grows on no body, on one that melts, twice on one, or chokes a fan twice."""
    iced: set[str] = set()
    choked: set[str] = set()
    melting = {body.name for body in bodies if body.melting is not None}
    for link in links:
        if link.icing is None:
            continue
        body = link.iced_body
        if body == SURROUNDINGS:
            raise ValueError(say("ice grows on a body, not on the surroundings: choose the other end of the link"))
        if body in iced:
            raise ValueError(
                say("ice grows on “{body}” from two links; let it take its water along one of them", body=body)
            )
        if body in melting:
            raise ValueError(say("“{body}” has a melting range of its own, so that no ice can grow on it", body=body))
        iced.add(body)
        if link.driven_by is not None and link.icing.blocks_kg is not None:
            if link.driven_by in choked:
                raise ValueError(
                    say("ice of two links chokes “{drive}”; let one of them never block", drive=link.driven_by)
                )
            choked.add(link.driven_by)
