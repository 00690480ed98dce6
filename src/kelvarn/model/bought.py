"""A controller that was bought: in which words it takes its settings, and how finely it holds them."""

from typing import Literal

from pydantic import model_validator

from kelvarn.sentence import figures, say
from kelvarn.units import Quantity

from .fields import ModelBase, OneLine, field, number

_NUMBER, _DURATION, _DIFFERENCE = Quantity.NUMBER, Quantity.DURATION, Quantity.DIFFERENCE


class Bought(ModelBase):
    """What a controller that was bought can hold; typed once, from its manual."""

    name: OneLine = field("Bought controller", "Called", "What it is called here.", max_length=60)
    gain_as: Literal["band_pct", "band_K", "gain"] = field(
        "band_pct", "Gain as", "How it takes its gain.",
        words={"band_pct": "band, % of span", "band_K": "band, K", "gain": "% per K"},
    )  # fmt: skip
    form: Literal["standard", "series", "parallel"] = field("standard", "Form", "Of its three terms.")
    span_K: float = number(400.0, _DIFFERENCE, 1.0, 5000.0, "Span", "That a band in per cent is a share of.")
    gain_step: float = number(0.1, _NUMBER, 1e-6, 1000.0, "Gain, steps", "Of its gain, in its own words.")
    gain_lowest: float = number(0.1, _NUMBER, 0.0, 1e6, "Gain, lowest", "That it takes, in its own words.")
    gain_highest: float = number(999.9, _NUMBER, 1e-6, 1e6, "Gain, highest", "That it takes, in its own words.")
    time_step_s: float = number(1.0, _DURATION, 1e-3, 600.0, "Times, steps", "Of its integral and derivative times.")
    time_longest_s: float = number(3600.0, _DURATION, 1.0, 1e6, "Times, longest", "That it takes.")
    rate_step: float = number(
        0.001, _NUMBER, 1e-9, 1000.0, "Ki and Kd, steps", "Of the parallel form, in % per K·s and %·s per K."
    )
    degree_step_K: float = number(0.1, _DIFFERENCE, 1e-4, 50.0, "Degrees, steps", "Of setpoint and hysteresis.")
    cycle_step_s: float = number(1.0, _DURATION, 1e-3, 600.0, "Cycle, steps", "Of its slow window.")
    weighs: bool = field(False, "Has a setpoint weight", "Else its gain sees all of a setpoint change.")
    unwinds: bool = field(True, "Has an anti-windup", "Else its integral goes on while it is limited.")

    @model_validator(mode="after")
    def _in_order(self) -> "Bought":
        if self.gain_lowest >= self.gain_highest:
            raise ValueError(
                say("its lowest gain must be below its highest, not {lowest}",
                    lowest=figures(f"{self.gain_lowest:g}", ""))
            )  # fmt: skip
        return self
