"""Probes: what measures, with all that makes a reading differ from the temperature."""

from itertools import pairwise
from typing import Literal

import numpy as np
from pydantic import field_validator, model_validator

from kelvarn.sentence import Figures, figures, say
from kelvarn.units import KELVIN_AT_0_DEGC, Quantity

from .bodies import temperature
from .fields import ModelBase, Name, OneLine, field, number
from .log_data import Floats
from .tolerances import Tolerance


def _degC(value: float) -> Figures:
    return figures(f"{value:g}", "°C")


class Correction(ModelBase):
    """A two-point correction in the device: what a trusted thermometer said where the probe showed this."""

    shown_low_degC: float = temperature(..., "Showed, low", "What the probe showed at the low point.")
    true_low_degC: float = temperature(..., "True, low", "What a trusted thermometer showed there.")
    shown_high_degC: float = temperature(..., "Showed, high", "What the probe showed at the high point.")
    true_high_degC: float = temperature(..., "True, high", "What a trusted thermometer showed there.")

    @model_validator(mode="after")
    def _apart(self) -> "Correction":
        if self.shown_high_degC - self.shown_low_degC < 0.1:
            raise ValueError(
                say("the two points must lie at least {least} apart; the probe showed {low} and {high}",
                    least=figures("0.1", "K"), low=_degC(self.shown_low_degC), high=_degC(self.shown_high_degC))
            )  # fmt: skip
        return self

    @property
    def slope(self) -> float:
        """Kelvins of truth for each kelvin shown."""
        return (self.true_high_degC - self.true_low_degC) / (self.shown_high_degC - self.shown_low_degC)


def ntc_degC(ohm: Floats, ohm_at_25_degC: float, beta_K: float) -> Floats:
    """Temperatures of a thermistor for its resistances: 1/T = 1/298.15 + ln(R/R25)/β (the Beta equation)."""
    per_K = 1.0 / (25.0 + KELVIN_AT_0_DEGC) + np.log(ohm / ohm_at_25_degC) / beta_K
    return np.asarray(1.0 / per_K - KELVIN_AT_0_DEGC)


class SensorPoint(ModelBase):
    """A row of a sensor's table."""

    degC: float = temperature(..., "At", "Temperature.")
    value: float = number(..., Quantity.NUMBER, 0.0, 1e8, "Has", "Ohms of a resistance there, or volts.")


class Converter(ModelBase):
    """An analogue-to-digital converter: even steps over a span, a thermistor in a divider, or a sensor by its table."""

    bits: int = number(10, Quantity.NUMBER, 6, 24, "Bits", "Resolution of the converter.")
    sensor: Literal["even", "ntc", "ohm_curve", "volt_curve"] = field(
        "ntc", "Sensor",
        "Even steps over the probe's range, an NTC thermistor in a divider, or what the sensor has by a table.",
        words={"even": "even steps", "ntc": "NTC in a divider", "ohm_curve": "resistance by table",
               "volt_curve": "voltage by table"},
    )  # fmt: skip
    points: tuple[SensorPoint, ...] = field(
        (), "Table", "What the sensor has at rising temperatures; straight between them, in counts.", max_length=40
    )
    full_V: float = number(5.0, Quantity.VOLTAGE, 0.5, 50.0, "Full scale", "Volts at the highest count.")
    ohm_at_25_degC: float = number(
        10_000.0, Quantity.RESISTANCE, 10.0, 1e7, "NTC at 25 °C", "Resistance of the thermistor at 25 °C."
    )
    beta_K: float = number(3950.0, Quantity.NUMBER, 1000.0, 8000.0, "Beta", "The thermistor's Beta, in kelvins.")
    fixed_ohm: float = number(
        10_000.0, Quantity.RESISTANCE, 10.0, 1e7, "Fixed resistor", "The other half of the divider."
    )

    @model_validator(mode="after")
    def _table_in_order(self) -> "Converter":
        if not self.by_table:
            return self
        if len(self.points) < 2:
            raise ValueError(say("a sensor's table needs two rows or more"))
        values = [point.value for point in self.points]
        for before, after in pairwise(self.points):
            if after.degC - before.degC < 0.1:
                raise ValueError(
                    say("rows of a sensor's table must go up by at least {least}; {after} follows {before}",
                        least=figures("0.1", "K"), after=_degC(after.degC), before=_degC(before.degC))
                )  # fmt: skip
            if before.value == after.value or (after.value > before.value) != (values[1] > values[0]):
                raise ValueError(
                    say("a sensor's table must rise or fall all along; it turns between {before} and {after}, "
                        "where {later} follows {earlier}",
                        before=figures(f"{before.degC:g}", ""), after=_degC(after.degC),
                        later=figures(f"{after.value:g}", ""), earlier=figures(f"{before.value:g}", ""))
                )  # fmt: skip
        if self.sensor == "volt_curve" and max(values) > self.full_V:
            raise ValueError(
                say("a sensor's table reaches {volts}; the highest count stands for {full}",
                    volts=figures(f"{max(values):g}", "V"), full=figures(f"{self.full_V:g}", "V"))
            )  # fmt: skip
        if self.sensor == "ohm_curve" and min(values) <= 0:
            raise ValueError(say("a sensor's table of resistances must stay above 0 Ω"))
        return self

    @property
    def by_table(self) -> bool:
        """Whether the sensor is known by a table."""
        return self.sensor in ("ohm_curve", "volt_curve")

    @property
    def has_divider(self) -> bool:
        """Whether a resistance is read, with a fixed one above it."""
        return self.sensor in ("ntc", "ohm_curve")

    @property
    def ohms(self) -> tuple[float, ...]:
        """Resistances by which it is judged: at 25 °C, or all of its table; empty where none is read."""
        if self.sensor == "ntc":
            return (self.ohm_at_25_degC,)
        return tuple(point.value for point in self.points) if self.sensor == "ohm_curve" else ()

    @property
    def shares(self) -> list[tuple[SensorPoint, float]]:
        """Each row of the table, and the share of the highest count there: R/(R + fixed) of a divider."""
        if self.sensor == "volt_curve":
            return [(point, point.value / self.full_V) for point in self.points]
        return [(point, point.value / (point.value + self.fixed_ohm)) for point in self.points]

    def degC_of_counts(self, counts: Floats, full: float, *, falls: bool = True) -> Floats:
        """Temperatures for raw counts of an NTC or of a table, NaN at and beyond both ends, shape as the counts.

        Args:
            counts, full: counts, and the highest there is.
            falls: whether counts of an NTC fall as it warms: it is the lower half, R = fixed·c/(full − c).
        """
        if self.by_table:
            rows = sorted((share, point.degC) for point, share in self.shares)
            shares, degC = np.array([row[0] for row in rows]), np.array([row[1] for row in rows])
            return np.asarray(np.interp(counts / full, shares, degC, left=np.nan, right=np.nan))
        inside = np.where((counts > 0) & (counts < full), counts, np.nan)
        share = inside / (full - inside)
        return ntc_degC(self.fixed_ohm * (share if falls else 1 / share), self.ohm_at_25_degC, self.beta_K)


class Probe(ModelBase):
    """What measures the temperature, with its faults of everyday."""

    name: Name = field("Probe", "Name", "What the probe is called.")
    body: Name = field(..., "Sits in", "The body whose temperature it follows.")
    role: Literal["control", "guard", "watch"] = field(
        "control", "Role", "The controller acts on it, a guard watches it, or it is only recorded."
    )
    tolerances: tuple[Tolerance, ...] = field(
        (), "Tolerances", "How far its values may be off, where not as usual.", max_length=20
    )
    like: OneLine = field("", "Type", "The common type that its range and steps were taken from.", max_length=60)
    lag_s: float = number(0.0, Quantity.DURATION, 0.0, 86400.0, "Lag", "Time constant with which it follows its body.")
    dead_time_s: float = number(0.0, Quantity.DURATION, 0.0, 86400.0, "Dead time", "Age of a reading when it arrives.")
    noise_K: float = number(0.0, Quantity.DIFFERENCE, 0.0, 100.0, "Noise", "Root mean square of its random scatter.")
    resolution_K: float = number(
        0.0, Quantity.DIFFERENCE, 0.0, 50.0, "Steps", "Readings are whole multiples of this; 0 for any."
    )
    interval_s: float = number(
        1.0, Quantity.DURATION, 0.01, 3600.0, "Read every", "Time between readings; the controller acts on each."
    )
    offset_K: float = number(
        0.0, Quantity.DIFFERENCE, -200.0, 200.0, "Reads high by", "How much too warm it reads at 0 °C."
    )
    slope: float = number(1.0, Quantity.NUMBER, 0.2, 5.0, "Slope", "Kelvins it shows for each kelvin.")
    lowest_degC: float = temperature(-250.0, "Lowest reading", "It never reads below this.")
    highest_degC: float = temperature(2500.0, "Highest reading", "It never reads above this.")
    converter: Converter | None = field(None, "Converter", "The converter it is read with; none leaves it out.")
    correction: Correction | None = field(None, "Correction", "The two-point correction made in the device.")

    @field_validator("interval_s")
    @classmethod
    def _whole_ms(cls, interval_s: float) -> float:
        """Devices count whole milliseconds."""
        return round(interval_s, 3)

    @model_validator(mode="after")
    def _range_in_order(self) -> "Probe":
        if self.highest_degC - self.lowest_degC < 1:
            raise ValueError(
                say("highest reading must be at least {least} above the lowest ({lowest}), not {highest}",
                    least=figures("1", "K"), lowest=_degC(self.lowest_degC), highest=_degC(self.highest_degC))
            )  # fmt: skip
        if self.converter is not None and self.converter.by_table:
            low, high = self.converter.points[0].degC, self.converter.points[-1].degC
            if not low <= self.lowest_degC < self.highest_degC <= high:
                raise ValueError(
                    say("the sensor's table goes from {low} to {high}; lowest and highest reading must lie inside "
                        "it, not at {lowest} and {highest}",
                        low=figures(f"{low:g}", ""), high=_degC(high),
                        lowest=figures(f"{self.lowest_degC:g}", ""), highest=_degC(self.highest_degC))
                )  # fmt: skip
        return self
