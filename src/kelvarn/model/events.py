"""Events: what happens during a trial. Each kind is declared once, here or in `control_events.py`.

A kind says what it is called, in which colour role it is drawn, which fields are shown for it, what it begins with, and
what it needs of the rig; menus, panels, the events lane and checks walk these declarations. What happens to the rig
stands here, what happens to its controller in `control_events.py`, and what all have in `event_base.py`. How they
become changes for the kernel stands in `engine/changes.py` and `engine/guarding.py`.
"""

from typing import TYPE_CHECKING, Annotated, Any, Literal, get_args

from pydantic import Field

from kelvarn.sentence import joined, say
from kelvarn.units import Quantity, Scale, show

from .bodies import temperature
from .control_events import (
    ControlStalls,
    OrdersLost,
    Override,
    Pause,
    PowerCut,
    PriceIs,
    ResetPressed,
    SetpointNudge,
    SettingsChange,
    SignalGone,
)
from .event_base import LONGEST_S, EventBase
from .fields import SURROUNDINGS, Name, field, number

if TYPE_CHECKING:
    from .rig import Rig


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
            raise ValueError(say("opens “{to}” to itself", to=self.to))
        link = rig.link_between(self.body, self.to)
        if self.conductance_W_per_K is None and (link is None or link.opened_W_per_K == 0):
            raise ValueError(
                say("opens a door that the rig does not have; give its extra loss, or what the link adds when it opens")
            )


class SurroundingsChange(EventBase):
    """The surroundings get warmer or colder for a while."""

    what = "the surroundings change"
    color, faint = "glacier", True
    kind: Literal["surroundings"] = "surroundings"
    change_K: float = number(
        ..., Quantity.DIFFERENCE, -300.0, 1000.0, "Change", "How much warmer (or colder, below 0) they get."
    )
    course: Literal["step", "ramp", "wave"] = field(
        "step", "Comes", "At once, evenly over the time that it lasts, or as a wave of day and night.",
        words={"step": "at once", "ramp": "evenly, then stays", "wave": "as a wave"},
    )  # fmt: skip
    period_s: float = number(86400.0, Quantity.DURATION, 60.0, LONGEST_S, "Period", "Of a wave: from peak to peak.")

    def text(self, scale: Scale) -> str:
        if self.course == "wave":
            return joined(" ±", (self.name, show(abs(self.change_K), Quantity.DIFFERENCE, scale)))
        return joined(" ", (self.name, show(self.change_K, Quantity.DIFFERENCE, scale, sign=True)))

    def shown(self) -> tuple[str, ...]:
        return ("change_K", "course", *(("period_s",) if self.course == "wave" else ()))

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
        return joined(" ", (self.name, show(self.power_W, Quantity.POWER, sign=True)))

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
        return joined(", ", (self.name, show(self.part_degC, Quantity.TEMPERATURE, scale)))

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
        return joined(" ", (self.name, show(self.to, Quantity.DRIVE)))

    @classmethod
    def begins_as(cls, rig: "Rig") -> dict[str, Any]:
        return {"name": "Supply sags", "to": 0.9}


class ProbeFault(EventBase):
    """A probe fails or errs."""

    what = "the probe fails"
    color = "ember"
    kind: Literal["probe_fault"] = "probe_fault"
    probe: Name = field(..., "Probe", "Which probe it is.")
    fault: Literal["open", "short", "stuck", "stale", "drift", "offset", "spikes", "loose"] = field(
        "open", "Fault", "What goes wrong with it.", words={"loose": "comes loose, sits in the air"}
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


class DriveFault(EventBase):
    """A drive fails, from the first sample at or after it begins: stuck on (a welded relay), off, or weak.

    Or its own thermostat welds, and no longer opens.
    """

    what = "a drive fails"
    color = "ember"
    kind: Literal["drive_fault"] = "drive_fault"
    drive: Name = field(..., "Drive", "Which drive it is.")
    fault: Literal["stuck_on", "stuck_off", "weak", "welded"] = field(
        "stuck_on", "Fault", "What goes wrong with it.",
        words={"stuck_on": "stuck on, a relay welded", "stuck_off": "stuck off, a fan stalled", "weak": "weak",
               "welded": "its own thermostat is welded"},
    )  # fmt: skip
    left: float = number(0.5, Quantity.DRIVE, 0.0, 1.0, "Left", "Of a weak one: the share of its power or flow left.")

    def text(self, scale: Scale) -> str:
        del scale
        return f"{self.name}: {self.fault.replace('_', ' ')}"

    def shown(self) -> tuple[str, ...]:
        return ("drive", "fault", *(("left",) if self.fault == "weak" else ()))

    def check(self, rig: "Rig") -> None:
        drive = next((each for each in rig.drives if each.name == self.drive), None)
        if self.fault == "welded" and drive is not None and getattr(drive, "dial_degC", None) is None:
            raise ValueError(say("welds the thermostat of “{drive}”, which has none of its own", drive=self.drive))

    @classmethod
    def begins_as(cls, rig: "Rig") -> dict[str, Any]:
        return {"name": "Drive fails", "drive": rig.drive.name}


_Any = (
    DoorOpens
    | SurroundingsChange
    | Load
    | ColdPart
    | DrawOffRuns
    | SupplyChange
    | PowerCut
    | ProbeFault
    | DriveFault
    | OrdersLost
    | ControlStalls
    | Override
    | Pause
    | SetpointNudge
    | SettingsChange
    | SignalGone
    | PriceIs
    | ResetPressed
)
Event = Annotated[_Any, Field(discriminator="kind")]
EVENT_KINDS: dict[str, type[EventBase]] = {kind.model_fields["kind"].default: kind for kind in get_args(_Any)}
"""Every kind of event by the word that files have for it, in the order of the menu."""
