"""Drives: what makes power or flow of the controller's demand."""

from typing import Annotated, Literal

from pydantic import Field, model_validator

from kelvarn.units import Quantity

from .fields import Name, Part, number, other
from .origins import Nameplate


class Switch(Part):
    """The solid-state switch before a drive, and what it stands."""

    supply_V: float = number(..., Quantity.VOLTAGE, 0.1, 1e5, "Supply", "Voltage across the load at full drive.")
    drop_V: float = number(0.0, Quantity.VOLTAGE, 0.0, 100.0, "Drop", "Voltage lost in the switch, as in an SSR.")
    on_ohm: float = number(
        0.0, Quantity.RESISTANCE, 0.0, 1000.0, "On-resistance", "Resistance of the switch, as in a transistor."
    )
    limit_W: float | None = number(
        None, Quantity.POWER, 0.001, 1e5, "Sheds at most", "Heat that the switch with its heatsink can shed."
    )

    def dissipation_W(self, power_W: float, duty: float = 1.0) -> float:
        """Heat in the switch: duty·(I·drop + I²·R) with the load's current I = P/V."""
        current = power_W / self.supply_V
        return duty * (current * self.drop_V + current * current * self.on_ohm)


class DriveBase(Part):
    """What every kind of drive has."""

    name: Name = other("Heater", "Name", "What the drive is called.")
    acts: Literal["heats", "cools"] = other("heats", "Effect", "Whether full drive heats or cools.")
    dead_time_s: float = number(
        0.0, Quantity.DURATION, 0.0, 86400.0, "Dead time", "Time until a change of the drive reaches the body."
    )
    active_low: bool = other(False, "Output active low", "Whether the output pin is low while the drive is on.")


class PowerDrive(DriveBase):
    """A drive that puts power into a body."""

    body: Name = other(..., "Acts on", "The body that it heats or cools.")
    power_W: float = number(
        ..., Quantity.POWER, 0.001, 1e7, "Power", "Heat it gives or takes at full drive and nominal supply."
    )
    nameplate: Nameplate | None = other(None, "Nameplate", "What its power was worked out from.")
    resistive: bool = other(True, "Resistive", "Whether its power goes with the square of the supply.")


class SwitchedDrive(PowerDrive):
    """A power drive behind a solid-state switch."""

    switch: Switch | None = other(None, "Switch", "The solid-state switch before it; none leaves it out.")


class Relay(PowerDrive):
    """A switch that is on or off; a demand of half or more switches it on."""

    kind: Literal["relay"] = "relay"
    shortest_on_s: float = number(
        0.0, Quantity.DURATION, 0.0, 86400.0, "Shortest on", "Once on, the relay stays on this long."
    )
    shortest_off_s: float = number(
        0.0, Quantity.DURATION, 0.0, 86400.0, "Shortest off", "Once off, the relay stays off this long."
    )
    operate_s: float = number(
        0.0, Quantity.DURATION, 0.0, 60.0, "Operating delay", "Time from the order until the contacts move."
    )
    rated_operations: float = number(
        100_000.0, Quantity.NUMBER, 1.0, 1e12, "Rated operations", "Switch-ons that the relay is rated for."
    )


class SlowWindow(SwitchedDrive):
    """Time-proportioned switching: on for the demanded share of each window, as for solid-state relays."""

    kind: Literal["slow_window"] = "slow_window"
    window_s: float = number(
        2.0, Quantity.DURATION, 0.02, 3600.0, "Window", "Time over which the duty is made of one pulse."
    )
    shortest_pulse_s: float = number(
        0.0, Quantity.DURATION, 0.0, 3600.0, "Shortest pulse", "Shorter pulses and gaps are left out."
    )
    resolution_s: float = number(
        0.01, Quantity.DURATION, 0.0, 60.0, "Pulse steps",
        "Pulses are whole multiples of this, such as a half-cycle of the mains (10 ms at 50 Hz); 0 for any.",
    )  # fmt: skip

    @model_validator(mode="after")
    def _pulse_fits(self) -> "SlowWindow":
        if self.shortest_pulse_s > self.window_s / 2:
            raise ValueError(
                f"shortest pulse must be at most half the window ({self.window_s / 2:g} s), "
                f"not {self.shortest_pulse_s:g} s"
            )
        if self.resolution_s > self.window_s:
            raise ValueError(
                f"pulse steps must be at most the window ({self.window_s:g} s), not {self.resolution_s:g} s"
            )
        return self


class FastSwitching(Part):
    """What PWM drives and fans share."""

    steps: int = number(255, Quantity.NUMBER, 1, 65535, "Steps", "Levels between off and full, 255 for 8 bits.")
    floor: float = number(
        0.0, Quantity.DRIVE, 0.0, 0.95, "Floor", "Lowest output while on: below it the load would not move."
    )
    off_below: float | None = number(
        None, Quantity.DRIVE, 0.0, 1.0, "Off below", "Demands below this switch it off; empty means below the floor."
    )
    top: float = number(1.0, Quantity.DRIVE, 0.05, 1.0, "Top", "The output never goes above this duty.")
    kick_start_s: float = number(
        0.0, Quantity.DURATION, 0.0, 600.0, "Kick-start", "From standstill it runs at the top for this long."
    )

    @model_validator(mode="after")
    def _floor_below_top(self) -> "FastSwitching":
        if self.floor >= self.top:
            raise ValueError(f"floor must be below top ({self.top:g}), not {self.floor:g}")
        return self

    @property
    def acting_off_below(self) -> float:
        """Demand below which the output is off."""
        return self.floor if self.off_below is None else self.off_below


class Pwm(SwitchedDrive, FastSwitching):
    """Fast switching whose mean power is what the load sees."""

    kind: Literal["pwm"] = "pwm"


class Fan(DriveBase, FastSwitching):
    """A fan on PWM: it moves air along the links that name it; relative flow is relative speed."""

    kind: Literal["fan"] = "fan"
    name: Name = other("Fan", "Name", "What the drive is called.")
    acts: Literal["heats", "cools"] = other("cools", "Effect", "Whether more flow heats or cools what is controlled.")
    power_W: float = number(
        2.0, Quantity.POWER, 0.001, 1e6, "Electrical power", "What it takes at full duty; it heats nothing here."
    )
    speed_lag_s: float = number(
        1.0, Quantity.DURATION, 0.0, 600.0, "Speed lag", "Time constant with which its speed follows."
    )
    stalls_below: float = number(0.2, Quantity.DRIVE, 0.0, 0.95, "Stalls below", "Duty at which it stops turning.")


class Valve(DriveBase):
    """A positioned valve or servo: it throttles the links that name it, or mixes heat into a body."""

    kind: Literal["valve"] = "valve"
    name: Name = other("Valve", "Name", "What the drive is called.")
    body: Name | None = other(None, "Mixes into", "The body that its power goes to; none where it only throttles.")
    power_W: float = number(100.0, Quantity.POWER, 0.001, 1e7, "Power", "Heat it mixes in when fully open.")
    travel_s: float = number(30.0, Quantity.DURATION, 0.1, 3600.0, "Full travel", "Time from closed to fully open.")
    backlash: float = number(
        0.0, Quantity.DRIVE, 0.0, 0.5, "Backlash", "Play that the motor takes up before the valve moves."
    )
    lowest: float = number(0.0, Quantity.DRIVE, 0.0, 0.95, "Lower end stop", "It never closes beyond this.")
    highest: float = number(1.0, Quantity.DRIVE, 0.05, 1.0, "Upper end stop", "It never opens beyond this.")

    @model_validator(mode="after")
    def _stops_in_order(self) -> "Valve":
        if self.lowest >= self.highest:
            raise ValueError(f"lower end stop must be below the upper ({self.highest:g}), not {self.lowest:g}")
        return self


AnyDrive = Relay | SlowWindow | Pwm | Fan | Valve
Drive = Annotated[AnyDrive, Field(discriminator="kind")]


KIND_NAMES = {
    "relay": "relay",
    "slow_window": "slow window",
    "pwm": "PWM",
    "fan": "fan",
    "valve": "valve or servo",
}
"""What the kinds of drives are called."""


def heated_body(drive: AnyDrive) -> str | None:
    """The body that a drive puts power into; None where it only moves air or liquid."""
    return None if isinstance(drive, Fan) else drive.body
