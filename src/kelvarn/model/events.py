"""Events: what happens during a trial. Each kind is declared here, once.

A kind says what it is called, in which colour role it is drawn, which fields are shown for it, what it begins with, and
what it needs of the rig; menus, panels, the events lane and checks walk these declarations. How it becomes changes for
the kernel stands in `engine/changes.py`.
"""

from abc import abstractmethod
from typing import TYPE_CHECKING, Annotated, Any, ClassVar, Literal, get_args

from pydantic import Field

from kelvarn.units import Quantity, Scale, minutes, show

from .bodies import temperature
from .fields import SURROUNDINGS, ModelBase, Name, field, number

if TYPE_CHECKING:
    from .rig import Rig

LONGEST_S = 366 * 86400.0


class EventBase(ModelBase):
    """What every event has.

    Attributes:
        what: the kind as the menu says it.
        color: its colour role; `faint` where it is a ground rather than a block.
    """

    what: ClassVar[str] = ""
    color: ClassVar[str] = "gold"
    faint: ClassVar[bool] = False

    name: Name = field(..., "Name", "What the event is called.")
    at_s: float = number(..., Quantity.DURATION, 0.0, LONGEST_S, "Starts", "When it begins.")
    lasts_s: float | None = number(
        None, Quantity.DURATION, 0.01, LONGEST_S, "Lasts", "How long it lasts; empty means to the end.",
        empty="to the end",
    )  # fmt: skip

    def text(self, scale: Scale) -> str:
        """The event in a few words."""
        del scale
        return f"{self.name} {minutes(self.lasts_s)}" if self.lasts_s is not None else self.name

    @classmethod
    @abstractmethod
    def begins_as(cls, rig: "Rig") -> dict[str, Any]:
        """Name and fields of a new one on a rig."""

    @classmethod
    def missing(cls, rig: "Rig") -> str:
        """What a rig lacks for such an event, in a sentence; empty where it lacks nothing."""
        del rig
        return ""

    def shown(self) -> tuple[str, ...]:
        """Fields shown for it, besides its name, start and duration."""
        return tuple(name for name in type(self).model_fields if name not in (*EventBase.model_fields, "kind"))

    def check(self, rig: "Rig") -> None:
        """Raise ValueError where it does not fit a rig, beyond the names it refers to."""


class DoorOpens(EventBase):
    """A door: an added conductance from a body to the surroundings, or to another body."""

    what = "a door opens"
    kind: Literal["door"] = "door"
    body: Name = field(..., "From body", "The body that loses heat through it.")
    to: Name = field(SURROUNDINGS, "To", "What it opens to: the surroundings or another body.")
    conductance_W_per_K: float | None = number(
        None, Quantity.CONDUCTANCE, 0.0, 1e6, "Extra loss",
        "Conductance added while open; empty means what the rig's link says of its door.", empty="as the rig says",
    )  # fmt: skip

    @classmethod
    def begins_as(cls, rig: "Rig") -> dict[str, Any]:
        body = rig.probe.body
        link = rig.link_between(body, SURROUNDINGS)
        known = link is not None and link.opened_W_per_K > 0
        return {"name": "Door", "body": body, "conductance_W_per_K": None if known else 5.0}

    def check(self, rig: "Rig") -> None:
        if self.to == self.body:
            raise ValueError(f"opens “{self.to}” to itself")
        link = rig.link_between(self.body, self.to)
        if self.conductance_W_per_K is None and (link is None or link.opened_W_per_K == 0):
            raise ValueError(
                "opens a door that the rig does not have; give its extra loss, or what the link adds when it opens"
            )


class SurroundingsChange(EventBase):
    """The surroundings get warmer or colder for a while."""

    what = "the surroundings change"
    color, faint = "glacier", True
    kind: Literal["surroundings"] = "surroundings"
    change_K: float = number(
        ..., Quantity.DIFFERENCE, -300.0, 1000.0, "Change", "How much warmer (or colder, below 0) they get."
    )

    def text(self, scale: Scale) -> str:
        return f"{self.name} {show(self.change_K, Quantity.DIFFERENCE, scale, sign=True)}"

    @classmethod
    def begins_as(cls, rig: "Rig") -> dict[str, Any]:
        return {"name": "Colder surroundings", "change_K": -5.0}


class Load(EventBase):
    """Heat brought into a body, or taken out of it, by something else than the drive."""

    what = "heat from elsewhere"
    color = "ember"
    kind: Literal["load"] = "load"
    body: Name = field(..., "Into body", "The body that gets the heat.")
    power_W: float = number(..., Quantity.POWER, -1e7, 1e7, "Power", "Heat brought in; below 0 it is taken out.")

    def text(self, scale: Scale) -> str:
        return f"{self.name} {show(self.power_W, Quantity.POWER, sign=True)}"

    @classmethod
    def begins_as(cls, rig: "Rig") -> dict[str, Any]:
        return {"name": "Load", "body": rig.probe.body, "power_W": 10.0}


class ColdPart(EventBase):
    """A part of another temperature is put in: a body of its own that touches another one while it is inside."""

    what = "a cold part is put in"
    color = "glacier"
    kind: Literal["cold_part"] = "cold_part"
    body: Name = field(..., "Into body", "The body that it is put into.")
    capacity_J_per_K: float = number(
        ..., Quantity.CAPACITY, 0.01, 1e9, "Heat capacity", "Heat it takes to warm the part by one kelvin."
    )
    part_degC: float = temperature(20.0, "Part is at", "How warm the part is when it is put in.")
    contact_W_per_K: float = number(
        10.0, Quantity.CONDUCTANCE, 0.001, 1e6, "Contact", "Heat that flows into it for each kelvin of difference."
    )

    def text(self, scale: Scale) -> str:
        return f"{self.name}, {show(self.part_degC, Quantity.TEMPERATURE, scale)}"

    @classmethod
    def begins_as(cls, rig: "Rig") -> dict[str, Any]:
        probed = rig.all_bodies[rig.body_index(rig.probe.body)]
        return {
            "name": "Cold part",
            "body": rig.probe.body,
            "capacity_J_per_K": float(f"{max(probed.capacity_J_per_K / 2, 0.1):.2g}"),
            "part_degC": rig.surroundings.temperature_degC,
            "lasts_s": None,
        }


class DrawOffRuns(EventBase):
    """A draw-off of the rig runs."""

    what = "a draw-off runs"
    color = "glacier"
    kind: Literal["draw_off"] = "draw_off"
    draw_off: Name = field(..., "Draw-off", "Which draw-off of the rig runs.")

    @classmethod
    def missing(cls, rig: "Rig") -> str:
        return "" if rig.draw_offs else "The rig has no draw-off yet; add one at the Rig station."

    @classmethod
    def begins_as(cls, rig: "Rig") -> dict[str, Any]:
        return {"name": rig.draw_offs[0].name, "draw_off": rig.draw_offs[0].name}


class SupplyChange(EventBase):
    """The supply sags or rises: resistive heaters give power by its square."""

    what = "the supply sags"
    kind: Literal["supply"] = "supply"
    to: float = number(..., Quantity.DRIVE, 0.0, 2.0, "Supply", "Supply as a share of its nominal voltage.")

    def text(self, scale: Scale) -> str:
        return f"{self.name} {show(self.to, Quantity.DRIVE)}"

    @classmethod
    def begins_as(cls, rig: "Rig") -> dict[str, Any]:
        return {"name": "Supply sags", "to": 0.9}


class ProbeFault(EventBase):
    """A probe fails or errs."""

    what = "the probe fails"
    color = "ember"
    kind: Literal["probe_fault"] = "probe_fault"
    probe: Name = field(..., "Probe", "Which probe it is.")
    fault: Literal["open", "short", "stuck", "stale", "drift", "offset", "spikes"] = field(
        "open", "Fault", "What goes wrong with it."
    )
    size_K: float = number(
        5.0, Quantity.DIFFERENCE, -500.0, 500.0, "Size", "Of an offset or a spike; of a drift, kelvins in an hour."
    )
    every_s: float = number(
        60.0, Quantity.DURATION, 0.01, 86400.0, "Every", "Time between spikes, or between readings that arrive."
    )

    def text(self, scale: Scale) -> str:
        return f"{self.name}: {self.fault}"

    def shown(self) -> tuple[str, ...]:
        sized = {"drift": ("size_K",), "offset": ("size_K",), "spikes": ("size_K", "every_s"), "stale": ("every_s",)}
        return ("probe", "fault", *sized.get(self.fault, ()))

    @classmethod
    def begins_as(cls, rig: "Rig") -> dict[str, Any]:
        return {"name": "Probe fails", "probe": rig.probe.name}


class Override(EventBase):
    """The drive is held by hand; at its end the law goes on from there."""

    what = "the drive is held by hand"
    color, faint = "gold", True
    kind: Literal["override"] = "override"
    drive: float = number(
        0.3,
        Quantity.DRIVE,
        -1.0,
        1.0,
        "Drive",
        "What is given while it lasts; below 0 it cools, in a rig that does both.",
    )

    def text(self, scale: Scale) -> str:
        return f"{self.name} {show(self.drive, Quantity.DRIVE)}"

    @classmethod
    def begins_as(cls, rig: "Rig") -> dict[str, Any]:
        del rig
        return {"name": "By hand", "drive": 0.3}

    def check(self, rig: "Rig") -> None:
        if self.drive < 0 and not rig.way.both:
            raise ValueError("holds the drive below 0 %, which is for rigs that both heat and cool")


class SettingsChange(EventBase):
    """Gain and times of P, PI and PID change while it runs; other laws stay as they are."""

    what = "settings change (P, PI, PID)"
    color, faint = "gold", True
    kind: Literal["settings"] = "settings"
    gain_factor: float = number(2.0, Quantity.NUMBER, 0.01, 100.0, "Gain ×", "How many times the gain is then.")
    ti_factor: float = number(1.0, Quantity.NUMBER, 0.01, 100.0, "Integral time ×", "Likewise.")
    td_factor: float = number(1.0, Quantity.NUMBER, 0.01, 100.0, "Derivative time ×", "Likewise.")

    def text(self, scale: Scale) -> str:
        return f"{self.name}, gain ×{self.gain_factor:g}"

    @classmethod
    def begins_as(cls, rig: "Rig") -> dict[str, Any]:
        del rig
        return {"name": "Other settings"}


_Any = (
    DoorOpens
    | SurroundingsChange
    | Load
    | ColdPart
    | DrawOffRuns
    | SupplyChange
    | ProbeFault
    | Override
    | SettingsChange
)
Event = Annotated[_Any, Field(discriminator="kind")]
EVENT_KINDS: dict[str, type[EventBase]] = {kind.model_fields["kind"].default: kind for kind in get_args(_Any)}
"""Every kind of event by the word that files have for it, in the order of the menu."""
