"""Ready-made probes: range, steps and tolerance of common types, from their standards.

Thermocouples: IEC 60584-1:2013, class 1, over the range of that class. Platinum: IEC 60751:2008, over the range of the
tolerance class for wire-wound resistors. Steps are those of the usual converters for them; thermistors and digital
probes by what their data sheets have in common.
"""

from dataclasses import dataclass

from .probes import Converter


@dataclass(frozen=True)
class ProbeType:
    """A common type of probe.

    Attributes:
        name: what it is called.
        lowest_degC, highest_degC: range of readings.
        resolution_K: steps of its readings; 0 where a converter makes them.
        tolerance_K, tolerance_share: it may err by so many kelvins, and by this share of the temperature in °C.
        larger: whether the larger of the two counts, or their sum.
        source: where that stands.
        converter: what it is read with, for a thermistor in a divider.
    """

    name: str
    lowest_degC: float
    highest_degC: float
    resolution_K: float
    tolerance_K: float
    tolerance_share: float
    larger: bool
    source: str
    converter: Converter | None = None

    def error_K(self, degC: float) -> float:
        """Largest error that the tolerance allows at a temperature."""
        share = self.tolerance_share * abs(degC)
        return max(self.tolerance_K, share) if self.larger else self.tolerance_K + share


_COUPLE, _PLATINUM, _SHEETS = "IEC 60584-1:2013, class 1", "IEC 60751:2008", "usual in data sheets"

_ALL = (
    ProbeType("type K thermocouple", -40, 1000, 0.25, 1.5, 0.004, True, _COUPLE),
    ProbeType("type N thermocouple", -40, 1000, 0.25, 1.5, 0.004, True, _COUPLE),
    ProbeType("type J thermocouple", -40, 750, 0.25, 1.5, 0.004, True, _COUPLE),
    ProbeType("type T thermocouple", -40, 350, 0.25, 0.5, 0.004, True, _COUPLE),
    ProbeType("type S thermocouple", 0, 1600, 0.25, 1.0, 0.0, True, f"{_COUPLE}, to 1100 °C"),
    ProbeType("platinum, class A", -100, 450, 0.03, 0.15, 0.002, False, _PLATINUM),
    ProbeType("platinum, class B", -196, 600, 0.03, 0.3, 0.005, False, _PLATINUM),
    ProbeType("NTC 10 kΩ, Beta 3950, 10 bits", -40, 125, 0, 1.0, 0.01, False, _SHEETS, Converter()),
    ProbeType(
        "NTC 100 kΩ, Beta 3950, 10 bits", 0, 300, 0, 1.0, 0.01, False, _SHEETS,
        Converter(ohm_at_25_degC=100_000, fixed_ohm=4_700),
    ),
    ProbeType("digital, steps of 1/16 K", -55, 125, 0.0625, 0.5, 0.0, True, _SHEETS),
    ProbeType("digital, steps of 0.01 K", -40, 85, 0.01, 0.5, 0.0, True, _SHEETS),
)  # fmt: skip

PROBE_TYPES: dict[str, ProbeType] = {found.name: found for found in _ALL}
"""All types by name."""


def fields_of(found: ProbeType) -> dict[str, object]:
    """What a probe of a type has in its fields."""
    return {
        "like": found.name,
        "lowest_degC": found.lowest_degC,
        "highest_degC": found.highest_degC,
        "resolution_K": found.resolution_K,
        "converter": found.converter,
    }
