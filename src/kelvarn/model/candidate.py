"""A candidate: one controller with its settings, one of several that compete."""

import math
from typing import Annotated, Literal

from pydantic import Field, model_validator

from kelvarn.units import Quantity

from .fields import Name, Part, number, other


class OnOff(Part):
    """On/off with hysteresis. For a cooling drive the edges are mirrored round the setpoint."""

    law: Literal["on_off"] = "on_off"
    below_K: float = number(
        1.0,
        Quantity.DIFFERENCE,
        0.0,
        500.0,
        "On below setpoint by",
        "On when this far short of the setpoint.",
        more="wider swing, fewer switchings",
        ruler=(0.05, 20.0),
        log=True,
    )
    above_K: float = number(
        1.0,
        Quantity.DIFFERENCE,
        0.0,
        500.0,
        "Off above setpoint by",
        "Off when this far past the setpoint.",
        more="wider swing, fewer switchings",
        ruler=(0.05, 20.0),
        log=True,
    )
    shortest_on_s: float = number(
        0.0, Quantity.DURATION, 0.0, 86400.0, "Shortest on", "Once on, it stays on this long."
    )
    shortest_off_s: float = number(
        0.0,
        Quantity.DURATION,
        0.0,
        86400.0,
        "Restart delay",
        "Once off, and after power-up, it stays off this long.",
    )
    confirm_s: float = number(
        0.0,
        Quantity.DURATION,
        0.0,
        86400.0,
        "Confirm delay",
        "An edge must stay passed this long before it counts.",
    )
    decide_every_s: float = number(
        0.0,
        Quantity.DURATION,
        0.0,
        86400.0,
        "Decides every",
        "Time between decisions; 0 means at each reading.",
    )
    once: bool = other(False, "Once only", "Off at the setpoint, and stays off until reset.")

    @property
    def strategy(self) -> str:
        """What people call it."""
        return "on/off"


class Pid(Part):
    """P, PI or PID with two degrees of freedom; terms not in use keep their settings."""

    law: Literal["pid"] = "pid"
    terms: Literal["P", "PI", "PID"] = other("PID", "Terms", "Which terms act.")
    kp_per_K: float = number(
        0.1, Quantity.GAIN, 1e-6, 1e4, "Gain Kp", "Drive for each kelvin away from the setpoint.",
        more="faster, then overshoot", ruler=(0.005, 2.0), log=True,
    )  # fmt: skip
    ti_s: float = number(
        600.0, Quantity.DURATION, 0.1, 1e6, "Integral time Ti", "Time in which the memory doubles a steady push.",
        less="removes offset sooner, then swings", ruler=(30.0, 36000.0), log=True,
    )  # fmt: skip
    td_s: float = number(
        30.0, Quantity.DURATION, 0.0, 1e5, "Derivative time Td", "How far ahead the speed term looks.",
        more="brakes earlier, amplifies noise", ruler=(1.0, 3600.0), log=True,
    )  # fmt: skip
    setpoint_weight: float = number(
        1.0, Quantity.NUMBER, 0.0, 2.0, "Setpoint weight b", "Share of a setpoint change that the gain sees at once.",
        less="softer start", ruler=(0.0, 1.0), log=False,
    )  # fmt: skip
    filter_n: float = number(
        8.0, Quantity.NUMBER, 1.0, 1000.0, "Filter N", "The speed term is smoothed with a lag of Td / N.",
        more="less smoothing, more noise",
    )  # fmt: skip
    derivative_weight: float = number(
        0.0,
        Quantity.NUMBER,
        0.0,
        2.0,
        "Speed weight c",
        "Share of a setpoint change that the speed term sees.",
    )
    bias: float = number(0.0, Quantity.DRIVE, -1.0, 1.0, "Bias", "Drive that is added always.")
    low: float = number(
        0.0, Quantity.DRIVE, -1.0, 1.0, "Lowest drive",
        "The drive never goes below this; below 0 it cools, where a rig both heats and cools.",
    )  # fmt: skip
    high: float = number(1.0, Quantity.DRIVE, 0.0, 1.0, "Highest drive", "The drive never goes above this.")
    rate_per_s: float | None = number(
        None, Quantity.DRIVE_RATE, 1e-6, 1000.0, "Rate limit", "Largest change of the drive in a second."
    )  # fmt: skip
    anti_windup: Literal["none", "hold", "back_calculation"] = other(
        "back_calculation", "Anti-windup", "What the memory does while the drive is at its limit."
    )
    tracking_s: float | None = number(
        None, Quantity.DURATION, 0.1, 1e6, "Tracking time Tt",
        "How fast back-calculation pulls the memory back; empty for √(Ti·Td), or Ti without Td.",
    )  # fmt: skip

    @model_validator(mode="after")
    def _limits_in_order(self) -> "Pid":
        if self.low >= self.high:
            raise ValueError(
                f"lowest drive must be below the highest ({self.high * 100:g} %), not {self.low * 100:g} %"
            )
        return self

    @property
    def strategy(self) -> str:
        """What people call it."""
        return self.terms

    @property
    def integrates(self) -> bool:
        """Whether the memory acts."""
        return self.terms != "P"

    @property
    def acting_td_s(self) -> float:
        """Derivative time in use; 0 where the speed term does not act."""
        return self.td_s if self.terms == "PID" else 0.0

    @property
    def acting_weight(self) -> float:
        """Setpoint weight in use; a P controller has no memory to make up for one below 1."""
        return self.setpoint_weight if self.integrates else 1.0

    @property
    def acting_tracking_s(self) -> float:
        """Tracking time in use."""
        if self.tracking_s is not None:
            return self.tracking_s
        return math.sqrt(self.ti_s * self.acting_td_s) if self.acting_td_s > 0 else self.ti_s


class Hand(Part):
    """No controller: the drive is set by hand, as in an open-loop step. It is no candidate."""

    drive: float = number(..., Quantity.DRIVE, -1.0, 1.0, "Drive", "What the drive is set to; below 0 it cools.")
    before: float = number(0.0, Quantity.DRIVE, -1.0, 1.0, "Before", "What the drive was until the run begins.")


Controller = Annotated[OnOff | Pid, Field(discriminator="law")]


class Candidate(Part):
    """One controller with its settings."""

    name: Name = other(..., "Name", "What the candidate is called.")
    controller: Controller = other(..., "Controller", "How it controls.")
    hidden: bool = other(False, "Hidden", "Whether it is left off the strip.")

    @property
    def strategy(self) -> str:
        """Its strategy as people say it: on/off, P, PI or PID."""
        return self.controller.strategy
