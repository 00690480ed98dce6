"""Events of the controller, its power and its people: cuts, lost orders, what somebody does by hand."""

from typing import TYPE_CHECKING, Any, Literal

from kelvarn.sentence import figures, joined, say
from kelvarn.units import Quantity, Scale, show

from .event_base import LONGEST_S, EventBase
from .fields import Name, field, number

if TYPE_CHECKING:
    from .rig import Rig


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
    """The controller takes its samples late, or none at all; what was given last stays, or it hangs at some drive."""

    what = "control samples late or missed"
    kind: Literal["stall"] = "stall"
    every_s: float | None = number(
        None, Quantity.DURATION, 0.01, LONGEST_S, "One every", "Time between samples that are taken; empty: none is.",
        empty="none is taken",
    )  # fmt: skip
    output: float | None = number(
        None, Quantity.DRIVE, 0.0, 1.0, "Output meanwhile", "What it gives while it takes none; empty: as it was.",
        empty="as it was",
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
        return joined(" ", (self.name, show(self.change_K, Quantity.DIFFERENCE, scale, sign=True)))

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
            raise ValueError(say("names the permit “{permit}”, which asks for no signal", permit=self.permit))


def _signals(rig: "Rig") -> list[str]:
    return [permit.name for permit in rig.permits if permit.kind == "signal"]


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
        return joined(" ", (self.name, figures(f"{self.price:g}", "")))

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
        return joined(" ", (self.name, show(self.drive, Quantity.DRIVE)))

    @classmethod
    def begins_as(cls, rig: "Rig") -> dict[str, Any]:
        del rig
        return {"name": "By hand", "drive": 0.3}

    def check(self, rig: "Rig") -> None:
        if self.drive < 0 and not rig.way.both:
            raise ValueError(say("holds the drive below 0 %, which is for rigs that both heat and cool"))


class SettingsChange(EventBase):
    """Gain and times of P, PI and PID change while it runs; other laws stay as they are."""

    what = "settings change (P, PI, PID)"
    color, faint = "gold", True
    kind: Literal["settings"] = "settings"
    gain_factor: float = number(2.0, Quantity.NUMBER, 0.01, 100.0, "Gain ×", "How many times the gain is then.")
    ti_factor: float = number(
        1.0, Quantity.NUMBER, 0.01, 100.0, "Integral time ×", "What its integral time is multiplied by."
    )
    td_factor: float = number(
        1.0, Quantity.NUMBER, 0.01, 100.0, "Derivative time ×", "What its derivative time is multiplied by."
    )

    def text(self, scale: Scale) -> str:
        return say("{event}, gain ×{factor}", event=self.name, factor=figures(f"{self.gain_factor:g}", ""))

    @classmethod
    def begins_as(cls, rig: "Rig") -> dict[str, Any]:
        del rig
        return {"name": "Other settings"}
