"""Drives: what makes power or flow of the controller's demand."""

from typing import Annotated, ClassVar, Literal, get_args

from pydantic import Field, model_validator

from kelvarn.sentence import figures, joined, say
from kelvarn.units import Quantity

from .fields import ModelBase, Name, field, number
from .origins import Nameplate
from .tolerances import Tolerance


class Switch(ModelBase):
    """The solid-state switch before a drive, and what it stands."""

    supply_V: float = number(..., Quantity.VOLTAGE, 0.1, 1e5, "Supply", "Voltage across the load at full drive.")
    drop_V: float = number(0.0, Quantity.VOLTAGE, 0.0, 100.0, "Drop", "Voltage lost in the switch, as in an SSR.")
    on_ohm: float = number(
        0.0, Quantity.RESISTANCE, 0.0, 1000.0, "On-resistance", "Resistance of the switch, as in a transistor."
    )
    limit_W: float | None = number(
        None, Quantity.POWER, 0.001, 1e5, "Can dissipate", "Heat that the switch with its heatsink can give off."
    )

    def dissipation_W(self, power_W: float, duty: float = 1.0) -> float:
        """Heat in the switch: duty·(I·drop + I²·R) with the load's current I = P/V."""
        current = power_W / self.supply_V
        return duty * (current * self.drop_V + current * current * self.on_ohm)


class DriveBase(ModelBase):
    """What every kind of drive has.

    Attributes:
        what: the kind as people say it; `brief`: where there is little room; `new_name`: what a new one is called.
        moves: it moves air or liquid along the links that name it, by its relative flow.
        limitation: what its model does not know, for the limitations of a rig.
        shown: its own fields, as the panel shows them.
    """

    what: ClassVar[str] = ""
    brief: ClassVar[str] = ""
    new_name: ClassVar[str] = "Heater"
    moves: ClassVar[bool] = False
    limitation: ClassVar[str] = ""
    shown: ClassVar[tuple[str, ...]] = ()

    name: Name = field("Heater", "Name", "What the drive is called.")
    acts: Literal["heats", "cools"] = field("heats", "Effect", "Whether full drive heats or cools.")
    dead_time_s: float = number(
        0.0, Quantity.DURATION, 0.0, 86400.0, "Dead time", "Time until a change of the drive reaches the body."
    )
    tolerances: tuple[Tolerance, ...] = field(
        (), "Tolerances", "How far its values may be off, where not as usual.", max_length=20
    )
    active_low: bool = field(False, "On while the pin is low", "Whether the output pin is low while the drive is on.")

    @property
    def heated_body(self) -> str | None:
        """The body that it puts power into; None where it only moves air or liquid."""
        return None

    @classmethod
    def begins_as(cls, body: str) -> dict[str, object]:
        """Fields that a new one needs."""
        del body
        return {}


class PowerDrive(DriveBase):
    """A drive that puts power into a body."""

    body: Name = field(..., "Acts on", "The body that it heats or cools.")
    power_W: float = number(
        ..., Quantity.POWER, 0.001, 1e7, "Power", "Heat it gives or takes at full drive and nominal supply."
    )
    nameplate: Nameplate | None = field(None, "Nameplate", "What its power was worked out from.")
    resistive: bool = field(True, "Resistive", "Whether its power goes with the square of the supply.")
    dial_degC: float | None = number(
        None, Quantity.TEMPERATURE, -200.0, 3000.0, "Own thermostat",
        "Dial of a thermostat in series: from this temperature of its body on it blocks; empty: it has none.",
        empty="none",
    )  # fmt: skip
    dial_band_K: float = number(
        4.0,
        Quantity.DIFFERENCE,
        0.0,
        200.0,
        "Thermostat's hysteresis",
        "How far below the dial it lets heat through again.",
    )

    @property
    def heated_body(self) -> str | None:
        return self.body

    @classmethod
    def begins_as(cls, body: str) -> dict[str, object]:
        return {"body": body, "power_W": 100.0}


class SwitchedDrive(PowerDrive):
    """A power drive behind a solid-state switch."""

    switch: Switch | None = field(None, "Switch", "The solid-state switch before it; none leaves it out.")

    def usual_switch(self) -> Switch:
        """The switch that is usual before such a drive."""
        return Switch(supply_V=24, on_ohm=0.02, limit_W=2)


class Relay(PowerDrive):
    """A switch that is on or off; a demand of half or more switches it on."""

    what = brief = say("relay")
    shown = ("shortest_on_s", "shortest_off_s", "operate_s", "rated_operations")
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

    what, brief = say("time-proportioned output"), say("window")
    limitation = say("the mains' half-waves are not drawn one by one")
    shown = ("window_s", "shortest_pulse_s", "resolution_s")
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

    def usual_switch(self) -> Switch:
        return Switch(supply_V=230, drop_V=1.2, limit_W=5)

    @model_validator(mode="after")
    def _pulse_fits(self) -> "SlowWindow":
        if self.shortest_pulse_s > self.window_s / 2:
            raise ValueError(
                say("shortest pulse must be at most half the window ({half}), not {pulse}",
                    half=figures(f"{self.window_s / 2:g}", "s"), pulse=figures(f"{self.shortest_pulse_s:g}", "s"))
            )  # fmt: skip
        if self.resolution_s > self.window_s:
            raise ValueError(
                say("pulse steps must be at most the window ({window}), not {steps}",
                    window=figures(f"{self.window_s:g}", "s"), steps=figures(f"{self.resolution_s:g}", "s"))
            )  # fmt: skip
        return self


class FastSwitching(ModelBase):
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
    pwm_Hz: float | None = number(
        None, Quantity.NUMBER, 0.1, 1e7, "PWM frequency, Hz", "Between 20 Hz and 20 kHz it may be heard.",
        empty="not given",
    )  # fmt: skip

    @model_validator(mode="after")
    def _floor_below_top(self) -> "FastSwitching":
        if self.floor >= self.top:
            raise ValueError(
                say("floor must be below top ({top}), not {floor}",
                    top=figures(f"{self.top:g}", ""), floor=figures(f"{self.floor:g}", ""))
            )  # fmt: skip
        return self

    @property
    def acting_off_below(self) -> float:
        """Demand below which the output is off."""
        return self.floor if self.off_below is None else self.off_below


class Pwm(SwitchedDrive, FastSwitching):
    """Fast switching whose mean power is what the load sees."""

    what = brief = say("PWM")
    shown = ("steps", "floor", "off_below", "top", "kick_start_s", "pwm_Hz")
    kind: Literal["pwm"] = "pwm"


class Fan(DriveBase, FastSwitching):
    """A fan on PWM: it moves air along the links that name it; relative flow is relative speed."""

    what = brief = say("fan")
    new_name = "Fan"
    moves = True
    limitation = say("flow follows the fan's speed, whatever the filter or the wind")
    shown = (
        "rated_V", "supply_V", "starts_from", "stalls_below", "flow_at_25", "flow_at_50", "flow_at_75", "pwm_Hz",
        "idle_flow", "supply_switch", "kick_start_s",
        "speed_lag_s", "floor", "off_below", "top", "steps",
    )  # fmt: skip
    kind: Literal["fan"] = "fan"
    name: Name = field("Fan", "Name", "What the drive is called.")
    acts: Literal["heats", "cools"] = field("cools", "Effect", "Whether more flow heats or cools what is controlled.")
    power_W: float = number(
        2.0, Quantity.POWER, 0.001, 1e6, "Electrical power", "What it takes at full duty; it heats nothing here."
    )
    speed_lag_s: float = number(
        1.0, Quantity.DURATION, 0.0, 600.0, "Speed lag", "Time constant with which its speed follows."
    )
    stalls_below: float = number(0.2, Quantity.DRIVE, 0.0, 0.95, "Stalls below", "Duty at which it stops turning.")
    starts_from: float | None = number(
        None, Quantity.DRIVE, 0.0, 1.0, "Starts from", "Duty that it needs to start from standstill.",
        empty="its stall",
    )  # fmt: skip
    idle_flow: float = number(
        0.0,
        Quantity.DRIVE,
        0.0,
        0.95,
        "Speed at 0 %",
        "Share of full speed at which it turns when it is asked for none.",
    )
    supply_switch: bool = field(False, "Supply switch", "Whether its supply is switched off at 0 %, so that it stops.")
    rated_V: float | None = number(
        None, Quantity.VOLTAGE, 0.5, 1000.0, "Rated voltage", "At which it turns at full speed.", empty="not given"
    )
    supply_V: float | None = number(
        None, Quantity.VOLTAGE, 0.5, 1000.0, "Actual voltage", "Its speed goes with the voltage.", empty="as rated"
    )
    flow_at_25: float = number(
        0.25,
        Quantity.DRIVE,
        0.0,
        1.0,
        "Flow at 25 %",
        "Of what it moves at 100 %; the duty itself if not known.",
    )
    flow_at_50: float = number(
        0.5,
        Quantity.DRIVE,
        0.0,
        1.0,
        "Flow at 50 %",
        "Of what it moves at 100 %; the duty itself if not known.",
    )
    flow_at_75: float = number(
        0.75,
        Quantity.DRIVE,
        0.0,
        1.0,
        "Flow at 75 %",
        "Of what it moves at 100 %; the duty itself if not known.",
    )

    @property
    def needs(self) -> float:
        """The least duty at which it surely turns, also from standstill."""
        return max(self.stalls_below, self.starts_from or 0.0)

    @property
    def volts(self) -> float:
        """Share of its rated voltage that it gets."""
        return 1.0 if self.rated_V is None or self.supply_V is None else self.supply_V / self.rated_V

    @model_validator(mode="after")
    def _more_moves_more(self) -> "Fan":
        if not self.flow_at_25 <= self.flow_at_50 <= self.flow_at_75:
            flows = [figures(f"{100 * flow:.3g}", "%") for flow in (self.flow_at_25, self.flow_at_50, self.flow_at_75)]
            raise ValueError(
                say("a fan's flow must not fall as its duty rises, not go {flows}", flows=joined(", ", flows))
            )
        return self

    @model_validator(mode="after")
    def _volts_in_range(self) -> "Fan":
        if not 0.1 <= self.volts <= 2:
            raise ValueError(
                say("a fan on {times} times its rated voltage is not known; {least} to 2 times is",
                    times=figures(f"{self.volts:.2g}", ""), least=figures("0.1", ""))
            )  # fmt: skip
        return self


class Valve(DriveBase):
    """A positioned valve or servo: it throttles the links that name it, or mixes heat into a body."""

    what, brief = say("valve or servo"), say("valve")
    new_name = "Valve"
    moves = True
    limitation = say("the valve's flow goes with its position")
    shown = ("travel_s", "backlash", "lowest", "highest")
    kind: Literal["valve"] = "valve"
    name: Name = field("Valve", "Name", "What the drive is called.")
    body: Name | None = field(None, "Mixes into", "The body that its power goes to; none where it only throttles.")
    power_W: float = number(100.0, Quantity.POWER, 0.001, 1e7, "Power", "Heat it mixes in when fully open.")
    travel_s: float = number(30.0, Quantity.DURATION, 0.1, 3600.0, "Full travel", "Time from closed to fully open.")
    backlash: float = number(
        0.0, Quantity.DRIVE, 0.0, 0.5, "Backlash", "Play that the motor takes up before the valve moves."
    )
    lowest: float = number(0.0, Quantity.DRIVE, 0.0, 0.95, "Lower end stop", "It never closes beyond this.")
    highest: float = number(1.0, Quantity.DRIVE, 0.05, 1.0, "Upper end stop", "It never opens beyond this.")

    @property
    def heated_body(self) -> str | None:
        return self.body

    @model_validator(mode="after")
    def _stops_in_order(self) -> "Valve":
        if self.lowest >= self.highest:
            raise ValueError(
                say("lower end stop must be below the upper ({upper}), not {lower}",
                    upper=figures(f"{self.highest:g}", ""), lower=figures(f"{self.lowest:g}", ""))
            )  # fmt: skip
        return self


AnyDrive = Relay | SlowWindow | Pwm | Fan | Valve
Drive = Annotated[AnyDrive, Field(discriminator="kind")]

DRIVE_KINDS: dict[str, type[AnyDrive]] = {kind.model_fields["kind"].default: kind for kind in get_args(AnyDrive)}
"""Every kind of drive by the word that files have for it, in the order of the menu."""
