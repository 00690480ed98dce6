"""A candidate: one controller with its settings, one of several that compete."""

import math
from typing import Annotated, ClassVar, Literal, NamedTuple, get_args

from pydantic import Field, model_validator

from kelvarn.units import Quantity

from .fields import ModelBase, Name, Notes, field, number


class Edge(NamedTuple):
    """A temperature at which a law does something: the field that sets it, and what it does there."""

    field: str
    degC: float
    does: str


class LawBase(ModelBase):
    """What every law says of itself.

    Attributes:
        strategies: what people call it, as on the buttons; one law may be several.
        switches: it is either on or off.
    """

    strategies: ClassVar[tuple[str, ...]] = ()
    switches: ClassVar[bool] = False

    @property
    def strategy(self) -> str:
        """What people call it as it is set."""
        return self.strategies[0]

    @classmethod
    def begins_as(cls, strategy: str) -> "Controller":
        """The law as a new candidate of a strategy has it."""
        raise NotImplementedError

    def as_strategy(self, strategy: str) -> "Controller":
        """The law by another of its strategies; its settings stay."""
        raise NotImplementedError

    @property
    def rulers(self) -> tuple[str, ...]:
        """Settings shown on rulers."""
        return ()

    @property
    def more(self) -> tuple[str, ...]:
        """Settings behind the fold."""
        return ()

    @property
    def more_words(self) -> str:
        """What stands behind the fold, in a few words."""
        return ""

    def edges(self, setpoint_degC: float, direction: int) -> tuple[Edge, ...]:
        """Where it does something at once; `direction` is 1 for heating, −1 for cooling."""
        del setpoint_degC, direction
        return ()

    def empty_words(self, name: str) -> str | None:
        """What an empty field stands for; None where its declaration says it."""
        del name
        return None

    @property
    def idle(self) -> frozenset[str]:
        """Settings that do not act as it is set."""
        return frozenset()


class OnOff(LawBase):
    """On/off with hysteresis. For a cooling drive the edges are mirrored round the setpoint."""

    strategies = ("On/off",)
    switches = True
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
    once: bool = field(False, "Once only", "Off at the setpoint, and stays off until reset.")

    @property
    def strategy(self) -> str:
        return "on/off"

    @classmethod
    def begins_as(cls, strategy: str) -> "OnOff":
        return cls()

    def as_strategy(self, strategy: str) -> "OnOff":
        return self

    @property
    def rulers(self) -> tuple[str, ...]:
        return "below_K", "above_K"

    @property
    def more(self) -> tuple[str, ...]:
        return "shortest_on_s", "shortest_off_s", "confirm_s", "decide_every_s", "once"

    @property
    def more_words(self) -> str:
        return "times, delays"

    def edges(self, setpoint_degC: float, direction: int) -> tuple[Edge, ...]:
        return (
            Edge("below_K", setpoint_degC - direction * self.below_K, "switches on"),
            Edge("above_K", setpoint_degC + direction * self.above_K, "switches off"),
        )


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
    anti_windup: Literal["none", "hold", "back_calculation"] = field(
        "back_calculation", "Anti-windup", "What the memory does while the drive is at its limit.",
        words={"hold": "hold while limited", "back_calculation": "back-calculation"},
    )  # fmt: skip
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
        return self.terms

    @classmethod
    def begins_as(cls, strategy: str) -> "Pid":
        return cls.model_validate({"terms": strategy})

    def as_strategy(self, strategy: str) -> "Pid":
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
        return *speed, "bias", "low", "high", "rate_per_s", *windup, *tracking

    @property
    def more_words(self) -> str:
        return {"P": "bias, limits", "PI": "limits, wind-up", "PID": "filter, limits, wind-up"}[self.terms]

    def empty_words(self, name: str) -> str | None:
        if name != "tracking_s":
            return None
        return "√(Ti·Td)" if self.acting_td_s else "Ti"

    @property
    def idle(self) -> frozenset[str]:
        found: set[str] = set()
        if not self.integrates:
            found |= {"ti_s", "setpoint_weight", "anti_windup", "tracking_s"}
        elif self.anti_windup != "back_calculation":
            found.add("tracking_s")
        if not self.acting_td_s:
            found |= {"td_s", "filter_n", "derivative_weight"}
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


class Hand(LawBase):
    """No controller: the drive is set by hand, as in an open-loop step. It is no candidate."""

    strategies = ("by hand",)
    switches = True  # it asks for no more than it is given
    drive: float = number(..., Quantity.DRIVE, -1.0, 1.0, "Drive", "What the drive is set to; below 0 it cools.")
    before: float = number(0.0, Quantity.DRIVE, -1.0, 1.0, "Before", "What the drive was until the run begins.")


_Law = OnOff | Pid
Controller = Annotated[_Law, Field(discriminator="law")]
STRATEGIES: dict[str, type[OnOff] | type[Pid]] = {name: law for law in get_args(_Law) for name in law.strategies}
"""Every strategy as the buttons call it, and its law."""


class Candidate(ModelBase):
    """One controller with its settings."""

    name: Name = field(..., "Name", "What the candidate is called.")
    controller: Controller = field(..., "Controller", "How it controls.")
    hidden: bool = field(False, "Hidden", "Whether it is left off the strip.")
    notes: Notes = field("", "Notes", "What is worth knowing of this candidate.")

    @property
    def strategy(self) -> str:
        """Its strategy as people say it: on/off, P, PI or PID."""
        return self.controller.strategy
