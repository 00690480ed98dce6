"""Events: what happens during a trial. Each kind is declared here, once.

A kind says what it is called, in which colour role it is drawn, which fields are shown for it, what it begins with, and
what it needs of the rig; menus, panels, the events lane and checks walk these declarations. How it becomes changes for
the kernel stands in `engine/changes.py`.
"""

from abc import abstractmethod
from typing import TYPE_CHECKING, Annotated, Any, ClassVar, Literal, Self, get_args

from pydantic import Field, model_validator

from kelvarn.units import Quantity, Scale, minutes, show

from .bodies import temperature
from .fields import SURROUNDINGS, ModelBase, Name, OneLine, field, number

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
    again_s: float | None = number(
        None, Quantity.DURATION, 0.1, LONGEST_S, "Again every",
        "It happens again and again, from start to start; empty: once.", empty="once",
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

    why: OneLine = field("", "Because", "What it stands for, or why it is tried.", max_length=200)

    @model_validator(mode="after")
    def _repeats(self) -> Self:
        if self.again_s is not None and (self.lasts_s is None or self.lasts_s > self.again_s):
            raise ValueError(f"event “{self.name}” happens again before it has ended; let it last less long")
        return self

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
    course: Literal["step", "ramp", "wave"] = field(
        "step", "Comes", "At once, evenly over the time that it lasts, or as a wave of day and night.",
        words={"step": "at once", "ramp": "evenly, then stays", "wave": "as a wave"},
    )  # fmt: skip
    period_s: float = number(86400.0, Quantity.DURATION, 60.0, LONGEST_S, "Period", "Of a wave: from peak to peak.")

    def text(self, scale: Scale) -> str:
        wave = "±" if self.course == "wave" else ""
        size = abs(self.change_K) if wave else self.change_K
        return f"{self.name} {wave}{show(size, Quantity.DIFFERENCE, scale, sign=not wave)}"

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
    """A drive fails, from the first sample at or after it begins: stuck on (a welded relay), off, or weak."""

    what = "a drive fails"
    color = "ember"
    kind: Literal["drive_fault"] = "drive_fault"
    drive: Name = field(..., "Drive", "Which drive it is.")
    fault: Literal["stuck_on", "stuck_off", "weak"] = field(
        "stuck_on", "Fault", "What goes wrong with it.",
        words={"stuck_on": "stuck on, a relay welded", "stuck_off": "stuck off, a fan stalled", "weak": "weak"},
    )  # fmt: skip
    left: float = number(0.5, Quantity.DRIVE, 0.0, 1.0, "Left", "Of a weak one: the share of its power or flow left.")

    def text(self, scale: Scale) -> str:
        del scale
        return f"{self.name}: {self.fault.replace('_', ' ')}"

    def shown(self) -> tuple[str, ...]:
        return ("drive", "fault", *(("left",) if self.fault == "weak" else ()))

    @classmethod
    def begins_as(cls, rig: "Rig") -> dict[str, Any]:
        return {"name": "Drive fails", "drive": rig.drive.name}


class PowerCut(EventBase):
    """No power for anything but what heats by itself; the rig's restart guard says how the controller comes back."""

    what = "the power is cut"
    color = "ember"
    kind: Literal["power_cut"] = "power_cut"

    @classmethod
    def begins_as(cls, rig: "Rig") -> dict[str, Any]:
        del rig
        return {"name": "Power cut"}


class OrdersLost(EventBase):
    """The controller's orders do not reach the drives; without a watchdog there these keep to the last one."""

    what = "the link to the drives is lost"
    color = "ember"
    kind: Literal["orders_lost"] = "orders_lost"

    @classmethod
    def begins_as(cls, rig: "Rig") -> dict[str, Any]:
        del rig
        return {"name": "Link lost"}


class ControlStalls(EventBase):
    """The controller takes its samples late, or none at all; what was given last stays."""

    what = "control samples late or missed"
    kind: Literal["stall"] = "stall"
    every_s: float | None = number(
        None, Quantity.DURATION, 0.01, LONGEST_S, "One every", "How seldom it takes one; empty: none at all.",
        empty="none at all",
    )  # fmt: skip

    @classmethod
    def begins_as(cls, rig: "Rig") -> dict[str, Any]:
        del rig
        return {"name": "Controller busy"}


class Pause(EventBase):
    """The drives pause, such as for defrosting; it rules like an override by hand."""

    what = "the drives pause (defrost)"
    color, faint = "glacier", True
    kind: Literal["pause"] = "pause"

    @classmethod
    def begins_as(cls, rig: "Rig") -> dict[str, Any]:
        del rig
        return {"name": "Defrost"}


class SetpointNudge(EventBase):
    """Somebody nudges the setpoint by hand."""

    what = "the setpoint is nudged by hand"
    color, faint = "gold", True
    kind: Literal["nudge"] = "nudge"
    change_K: float = number(2.0, Quantity.DIFFERENCE, -1000.0, 1000.0, "By", "How far, up or (below 0) down.")

    def text(self, scale: Scale) -> str:
        return f"{self.name} {show(self.change_K, Quantity.DIFFERENCE, scale, sign=True)}"

    @classmethod
    def begins_as(cls, rig: "Rig") -> dict[str, Any]:
        del rig
        return {"name": "Nudged"}


class SignalGone(EventBase):
    """What a permit of the rig asks for is not there: nobody present, no job that runs."""

    what = "a signal is gone (nobody there)"
    color, faint = "muted", True
    kind: Literal["signal_gone"] = "signal_gone"
    permit: Name = field(..., "Permit", "The permit that asks for it.")

    @classmethod
    def missing(cls, rig: "Rig") -> str:
        return "" if _signals(rig) else "The rig has no permit that asks for a signal yet; add one below the plan."

    @classmethod
    def begins_as(cls, rig: "Rig") -> dict[str, Any]:
        return {"name": f"No {_signals(rig)[0].lower()}", "permit": _signals(rig)[0]}

    def check(self, rig: "Rig") -> None:
        if self.permit not in _signals(rig):
            raise ValueError(f"names the permit “{self.permit}”, which asks for no signal")


class PriceIs(EventBase):
    """What energy costs for a while; where several are under way, the one begun last says it."""

    what = "energy costs more"
    color, faint = "gold", True
    kind: Literal["price"] = "price"
    price: float = number(
        0.5, Quantity.NUMBER, 0.0, 1e6, "Price", "In the unit of the rig's permit, per kilowatt-hour."
    )

    def text(self, scale: Scale) -> str:
        del scale
        return f"{self.name} {self.price:g}"

    @classmethod
    def begins_as(cls, rig: "Rig") -> dict[str, Any]:
        del rig
        return {"name": "Dear energy"}


class ResetPressed(EventBase):
    """Somebody presses reset: trips whose cause is gone let go, alarms are acknowledged."""

    what = "reset is pressed"
    color = "moss"
    kind: Literal["reset"] = "reset"

    @classmethod
    def begins_as(cls, rig: "Rig") -> dict[str, Any]:
        return {"name": "Reset", "lasts_s": max(1.0, rig.probe.interval_s)}


def _signals(rig: "Rig") -> list[str]:
    return [permit.name for permit in rig.permits if permit.kind == "signal"]


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
    until: Literal["time", "plan", "reached"] = field(
        "time", "Ends", "What ends it, at the latest after the time that it lasts.",
        words={"time": "after that time", "plan": "as the plan goes on", "reached": "as the setpoint is reached"},
    )  # fmt: skip

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
