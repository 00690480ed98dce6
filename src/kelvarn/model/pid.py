"""P, PI and PID with two degrees of freedom, and their options."""

import math
from typing import Literal, Self

from pydantic import model_validator

from kelvarn.sentence import figures, say
from kelvarn.units import Quantity

from .bodies import temperature
from .fields import field, number
from .law import LawBase, Near, Way


class Pid(LawBase):
    """P, PI or PID with two degrees of freedom; terms not in use keep their settings."""

    strategies = ("P", "PI", "PID")
    law: Literal["pid"] = "pid"
    terms: Literal["P", "PI", "PID"] = field("PID", "Terms", "Which terms act.")
    kp_per_K: float = number(
        0.1, Quantity.GAIN, 1e-6, 1e4, "Gain Kp", "Drive for each kelvin away from the setpoint.",
        more="faster, then overshoot", ruler=(0.005, 2.0), log=True,
    )  # fmt: skip
    ti_s: float = number(
        600.0, Quantity.DURATION, 0.1, 1e6, "Integral time Ti", "Time in which the integral doubles a steady push.",
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
    anti_windup: Literal["none", "hold", "back_calculation"] = field(
        "back_calculation", "Anti-windup", "What the integral does while the drive is at its limit.",
        words={"hold": "hold while limited", "back_calculation": "back-calculation"},
    )  # fmt: skip
    tracking_s: float | None = number(
        None, Quantity.DURATION, 0.1, 1e6, "Tracking time Tt",
        "How fast back-calculation pulls the integral back; empty for √(Ti·Td), or Ti without Td.",
    )  # fmt: skip

    zone_K: float | None = number(
        None, Quantity.DIFFERENCE, 0.01, 500.0, "Integral acts within",
        "The integral is held while the setpoint is further away than this.", empty="always",
    )  # fmt: skip
    memory_low: float | None = number(
        None,
        Quantity.DRIVE,
        -10.0,
        10.0,
        "Integral limit, lowest",
        "The integral never goes below this.",
        empty="no limit",
    )
    memory_high: float | None = number(
        None,
        Quantity.DRIVE,
        -10.0,
        10.0,
        "Integral limit, highest",
        "The integral never goes above this.",
        empty="no limit",
    )
    setpoint_rate_K_per_s: float | None = number(
        None, Quantity.RAMP, 1e-6, 1000.0, "Setpoint ramp",
        "How fast the setpoint that it follows moves, from the first reading on.", empty="at once",
    )  # fmt: skip
    feed_per_K: float | None = number(
        None, Quantity.GAIN, 0.0, 1e4, "Feed-forward",
        "Drive for each kelvin that the setpoint lies away from where the rig rests.", empty="none",
    )  # fmt: skip
    feed_from_degC: float = temperature(20.0, "Feed-forward from", "Where the rig rests without the drive.")
    dead_band: float = number(
        0.0,
        Quantity.DRIVE,
        0.0,
        1.0,
        "Dead band",
        "Between heating and cooling, so much of what it asks does nothing.",
    )
    cooling_ratio: float = number(
        1.0, Quantity.NUMBER, 0.01, 100.0, "Cooling gain ratio", "Gain while it cools, over the gain while it heats."
    )

    def range_of_drive(self, way: Way) -> tuple[float, float]:
        return (self.low if way.both else max(self.low, 0.0)), self.high

    @model_validator(mode="after")
    def _memory_limits_in_order(self) -> Self:
        if self.memory_low is not None and self.memory_high is not None and self.memory_low >= self.memory_high:
            raise ValueError(
                say("the integral's lower limit must be below its upper one ({high} %), not {low} %",
                    high=figures(f"{self.memory_high * 100:g}", ""),
                    low=figures(f"{self.memory_low * 100:g}", ""))
            )  # fmt: skip
        return self

    @model_validator(mode="after")
    def _limits_in_order(self) -> Self:
        if self.low >= self.high:
            raise ValueError(
                say("lowest drive must be below the highest ({high} %), not {low} %",
                    high=figures(f"{self.high * 100:g}", ""), low=figures(f"{self.low * 100:g}", ""))
            )  # fmt: skip
        return self

    @property
    def strategy(self) -> str:
        return self.terms

    @classmethod
    def begins_as(cls, strategy: str, near: Near) -> Self:
        return cls.model_validate({"terms": strategy, "low": -1.0 if near.way.both else 0.0})

    def as_strategy(self, strategy: str) -> Self:
        kept = {name: getattr(self, name) for name in type(self).model_fields}
        return type(self).model_validate({**kept, "terms": strategy})

    @property
    def rulers(self) -> tuple[str, ...]:
        return tuple(
            name
            for name, acts in (
                ("kp_per_K", True), ("ti_s", self.integrates), ("td_s", self.terms == "PID"),
                ("setpoint_weight", self.integrates),
            )
            if acts
        )  # fmt: skip

    @property
    def more(self) -> tuple[str, ...]:
        speed = ("filter_n", "derivative_weight") if self.terms == "PID" else ()
        windup = ("anti_windup",) if self.integrates else ()
        tracking = ("tracking_s",) if self.integrates and self.anti_windup == "back_calculation" else ()
        zone = ("zone_K", "memory_low", "memory_high") if self.integrates else ()
        both = ("dead_band", "cooling_ratio") if self.low < 0 else ()
        feed = ("feed_per_K",) if self.feed_per_K is None else ("feed_per_K", "feed_from_degC")
        return (*speed, "bias", "low", "high", *both, "rate_per_s", *windup, *tracking, *zone,
                "setpoint_rate_K_per_s", *feed)  # fmt: skip

    @property
    def more_words(self) -> str:
        words = {"P": say("bias, limits"), "PI": say("limits, wind-up"), "PID": say("filter, limits, wind-up")}
        return words[self.terms]

    def edge_value(self, path: tuple[str | int, ...], degC: float, setpoint_degC: float, way: Way) -> float:
        # The corner at which P gives all of it sets its gain.
        ahead = (self.feed_per_K or 0.0) * way.sign * (setpoint_degC - self.feed_from_degC)
        half = self.dead_band / 2 if self.low < 0 else 0.0
        away_K = max(way.sign * (setpoint_degC - degC), 0.01)
        return max((self.high + half - self.bias - ahead) / away_K, 1e-4)

    def empty_words(self, name: str) -> str | None:
        if name != "tracking_s":
            return None
        return "√(Ti·Td)" if self.acting_td_s else "Ti"

    @property
    def idle(self) -> frozenset[str]:
        found: set[str] = set()
        if not self.integrates:
            found |= {"ti_s", "setpoint_weight", "anti_windup", "tracking_s", "zone_K", "memory_low", "memory_high"}
        elif self.anti_windup != "back_calculation":
            found.add("tracking_s")
        if not self.acting_td_s:
            found |= {"td_s", "filter_n", "derivative_weight"}
        if self.feed_per_K is None:
            found.add("feed_from_degC")
        if self.low >= 0:
            found |= {"dead_band", "cooling_ratio"}
        return frozenset(found)

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
