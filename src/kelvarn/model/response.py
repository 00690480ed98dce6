"""A rig known only by its answer to the drive."""

from typing import Literal

from pydantic import model_validator

from kelvarn.sentence import figures, say
from kelvarn.units import Quantity

from .bodies import Body, Link, temperature
from .fields import SURROUNDINGS, ModelBase, Name, OneLine, field, number
from .tolerances import Tolerance


class ResponseModel(ModelBase):
    """Gain, lags and dead time; it stands in place of bodies and links.

    Rest is the temperature of the surroundings. One lag is the same thing as one body: with full power P, gain K and
    lag T it has the conductance P/K and the capacity P·T/K, so that doors and loads act on it as on any other.
    """

    name: Name = field("Output", "Name", "What is measured and controlled.")
    kind: Literal["one_lag", "two_lags", "integrating"] = field("one_lag", "Kind", "How it answers.")
    gain_K: float = number(100.0, Quantity.DIFFERENCE, 0.001, 1e5, "Gain", "How far full drive moves it in the end.")
    rise_K_per_s: float = number(0.1, Quantity.RAMP, 1e-7, 1e4, "Rise", "How fast full drive moves an integrating one.")
    lag_s: float = number(600.0, Quantity.DURATION, 0.01, 1e8, "Lag", "Its larger time constant.")
    lag2_s: float = number(60.0, Quantity.DURATION, 0.01, 1e8, "Second lag", "Its smaller time constant.")
    dead_time_s: float = number(0.0, Quantity.DURATION, 0.0, 86400.0, "Dead time", "Time until it begins to answer.")
    start_degC: float | None = temperature(None, "Starts at", "Where it starts; empty means at rest.")
    limit_degC: float | None = temperature(None, "Limit", "Highest it may get; empty means no limit is known.")
    tolerances: tuple[Tolerance, ...] = field(
        (), "Tolerances", "How far its values may be off, where not as usual.", max_length=20
    )
    unit: OneLine | None = field(
        None, "Unit", "Unit of another quantity than temperature, such as % RH or ppm; none for temperature.",
        max_length=12,
    )  # fmt: skip

    @model_validator(mode="after")
    def _lags_in_order(self) -> "ResponseModel":
        if self.kind == "two_lags" and self.lag2_s > self.lag_s:
            raise ValueError(
                say("second lag must be at most the lag ({lag}), not {second}",
                    lag=figures(f"{self.lag_s:g}", "s"), second=figures(f"{self.lag2_s:g}", "s"))
            )  # fmt: skip
        return self

    def conductance_W_per_K(self, power_W: float) -> float:
        """Loss that gives the gain with a drive of this power; 0 for an integrating one."""
        return 0.0 if self.kind == "integrating" else power_W / self.gain_K

    def body(self, power_W: float) -> Body:
        """The body that answers alike (for two lags, the first of them)."""
        capacity = power_W / self.rise_K_per_s if self.kind == "integrating" else power_W * self.lag_s / self.gain_K
        # Not validated: gain and lag have ranges of their own.
        return Body.model_construct(
            name=self.name, capacity_J_per_K=capacity, start_degC=self.start_degC, limit_degC=self.limit_degC
        )

    def links(self, power_W: float) -> tuple[Link, ...]:
        """The link that answers alike."""
        if self.kind == "integrating":
            return ()
        conductance = self.conductance_W_per_K(power_W)
        return (Link.model_construct(a=self.name, b=SURROUNDINGS, conductance_W_per_K=conductance),)
