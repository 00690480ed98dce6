"""What a probe shows of a temperature: age, errors, converter, correction, and faults while an event lasts."""

import math
from collections.abc import Sequence

from kelvarn.units import KELVIN_AT_0_DEGC

from .compiled import part, subroutine
from .inputs import Reading
from .plant import NONE, ConverterKind, CurvePoint, Fault, FaultKind, FaultState, ProbeRecord, ProbeState
from .records import Grid, Table

_AT_25 = 1.0 / (KELVIN_AT_0_DEGC + 25.0)


@part
def aged(k: int, p: int, probe: ProbeRecord, start_degC: float, history: Grid) -> float:
    """Temperature that a probe had one dead time ago; what it had then, also between samples, stands in its history.

    Args:
        k, p: sample, and place of the probe.
        probe: how many samples its dead time has.
        start_degC: what it had before the first sample.
        history: what it had, a row for each probe, round and round.
    """
    taken = k - probe.late_samples
    return start_degC if taken < 0 else history[p, taken % history.shape[1]]


@part
def is_curve(probe: ProbeRecord) -> bool:
    """Whether its sensor is known by a table."""
    return probe.converter == ConverterKind.OHM_CURVE or probe.converter == ConverterKind.VOLT_CURVE


@subroutine
def _curve_share(probe: ProbeRecord, curves: Table[CurvePoint], degC: float) -> float:
    """Share of the highest count that a sensor has by its table; beyond its ends, that of the end."""
    last = probe.last_point
    k = probe.first_point
    if degC <= curves[k].degC:
        return curves[k].count
    if degC >= curves[last].degC:
        return curves[last].count
    while curves[k + 1].degC < degC:
        k += 1
    low, high = curves[k], curves[k + 1]
    return low.count + (degC - low.degC) / (high.degC - low.degC) * (high.count - low.count)


@subroutine
def _curve_degC(probe: ProbeRecord, curves: Table[CurvePoint], share: float) -> float:
    """Temperature at which a sensor has a share of the highest count, by its table, whichever way this goes, degC."""
    last = probe.last_point
    k = probe.first_point
    way = 1.0 if curves[last].count > curves[k].count else -1.0
    if way * (share - curves[k].count) <= 0.0:
        return curves[k].degC
    if way * (share - curves[last].count) >= 0.0:
        return curves[last].degC
    while way * (share - curves[k + 1].count) > 0.0:
        k += 1
    low, high = curves[k], curves[k + 1]
    return low.degC + (share - low.count) / (high.count - low.count) * (high.degC - low.degC)


@part
def count_of(probe: ProbeRecord, curves: Table[CurvePoint], value: float) -> float:
    """Count of a converter at a temperature: even steps, by a table, or an NTC in a divider.

    An NTC has R = R25 e^(β(1/T − 1/298.15)).
    """
    if is_curve(probe):
        return math.floor(_curve_share(probe, curves, value) * probe.levels + 0.5) * 1.0
    if probe.converter == ConverterKind.EVEN:
        low, high = probe.lowest_degC, probe.highest_degC
        return math.floor((min(max(value, low), high) - low) / (high - low) * probe.levels + 0.5) * 1.0
    ohm = probe.ohm_at_25_degC * math.exp(probe.beta_K * (1.0 / (max(value, -200.0) + KELVIN_AT_0_DEGC) - _AT_25))
    return math.floor(ohm / (ohm + probe.fixed_ohm) * probe.levels + 0.5) * 1.0


@subroutine
def degC_of_count(probe: ProbeRecord, curves: Table[CurvePoint], count: float) -> float:
    """What a device makes of a converter's count, degC: by the same steps or table, or through divider and NTC."""
    low, high, levels = probe.lowest_degC, probe.highest_degC, probe.levels
    if is_curve(probe):
        return _curve_degC(probe, curves, count / levels)
    if probe.converter == ConverterKind.EVEN:
        return low + count / levels * (high - low)
    if count <= 0.0:
        return high
    if count >= levels:
        return low
    ohm = probe.fixed_ohm * count / (levels - count)
    return 1.0 / (_AT_25 + math.log(ohm / probe.ohm_at_25_degC) / probe.beta_K) - KELVIN_AT_0_DEGC


@part
def is_at_end(probe: ProbeRecord, degC: float) -> bool:
    """Whether a device's figure before its correction lies at an end of the range: open, shorted or beyond it."""
    return degC <= probe.lowest_degC or degC >= probe.highest_degC


@part
def corrected(probe: ProbeRecord, degC: float) -> float:
    """What a device makes of a figure: kept inside the range, and corrected by two points, degC."""
    inside = min(max(degC, probe.lowest_degC), probe.highest_degC)
    if not probe.corrects:
        return inside
    return probe.correct_true_degC + (inside - probe.correct_shown_degC) * probe.correct_slope


@part
def read_probe(probes: Table[ProbeRecord], curves: Table[CurvePoint], place: int, raw: float, valid: bool,
               readings: Table[Reading]) -> None:  # fmt: skip
    """Make a reading of what a device has of a probe.

    Args:
        probes, curves: all probes, and the points of their tables.
        place: of this one.
        raw: count of its converter; or degC, of one without.
        valid: whether there is one at all.
        readings: written.
    """
    probe, reading = probes[place], readings[place]
    degC = raw if probe.converter == ConverterKind.NONE else degC_of_count(probe, curves, raw)
    reading.valid = valid
    reading.at_end = is_at_end(probe, degC)
    reading.degC = corrected(probe, degC)


@part
def _count_with(probe: ProbeRecord, curves: Table[CurvePoint], value: float, fault: int) -> float:
    """What a converter gives. A resistance that is open or shorted gives the last or first count of its divider.

    A sensor that gives a voltage and has lost its wire gives none; shorted to its supply, all there is.
    """
    if fault == FaultKind.OPEN and probe.converter != ConverterKind.EVEN:
        return 0.0 if probe.converter == ConverterKind.VOLT_CURVE else probe.levels
    if fault == FaultKind.SHORT and probe.converter != ConverterKind.EVEN:
        return probe.levels if probe.converter == ConverterKind.VOLT_CURVE else 0.0
    return count_of(probe, curves, value)


@part
def felt(probe: ProbeRecord, degC: float, noise_K: float) -> float:
    """What a probe takes a temperature for, with the errors of its own and its noise, degC."""
    return degC * probe.slope + probe.offset_K + noise_K


@subroutine
def _awry(t: float, value: float, probe: ProbeRecord, state: ProbeState, curves: Table[CurvePoint], kind: int,
          fault: Fault, kept: FaultState) -> float:  # fmt: skip
    """A reading of a probe that has a fault (kind 0: none), a converter or an error of its own."""
    if kind == FaultKind.DRIFT:
        value += fault.size_K * (t - fault.since_s) / 3600.0
    elif kind == FaultKind.OFFSET:
        value += fault.size_K
    elif kind == FaultKind.SPIKES:
        due = math.floor((t - fault.since_s) / fault.every_s + 1e-9)
        if due > kept.taken:
            kept.taken = due
            value += fault.size_K
    if probe.converter != ConverterKind.NONE:
        value = degC_of_count(probe, curves, _count_with(probe, curves, value, kind))
    elif probe.resolution_K > 0.0:
        value = math.floor(value / probe.resolution_K + 0.5) * probe.resolution_K
    plain = probe.converter == ConverterKind.NONE or probe.converter == ConverterKind.EVEN
    if kind == FaultKind.OPEN and plain:
        value = probe.highest_degC
    elif kind == FaultKind.SHORT and plain:
        value = probe.lowest_degC
    state.at_end = is_at_end(probe, value)
    return corrected(probe, value)


@subroutine
def _faulty(k: int, t: float, value: float, probe: ProbeRecord, state: ProbeState, curves: Table[CurvePoint],
            fault: Fault, kept: FaultState) -> float:  # fmt: skip
    """A reading while a fault rules. What is stuck from the start is stuck at what it would have read first."""
    if not kept.begun:
        kept.begun = True
        kept.taken = NONE if fault.kind == FaultKind.SPIKES else fault.since_s
        kept.held_degC = _awry(t, value, probe, state, curves, 0, fault, kept) if k == 0 else state.shown_degC
    if fault.kind == FaultKind.STUCK:
        return kept.held_degC
    if fault.kind == FaultKind.STALE:
        if t > kept.taken + fault.every_s - 1e-9:
            kept.held_degC = _awry(t, value, probe, state, curves, 0, fault, kept)
            kept.taken = t
        return kept.held_degC
    return _awry(t, value, probe, state, curves, fault.kind, fault, kept)


@part
def reading(
    k: int,
    t: float,
    value: float,
    probe: ProbeRecord,
    state: ProbeState,
    curves: Table[CurvePoint],
    faults: "Table[Fault] | Sequence[Fault]",
    kept: "Table[FaultState] | Sequence[FaultState]",
) -> float:
    """What a probe shows at a sample.

    Args:
        k, t: sample, and its instant in s.
        value: what it takes its temperature for, as `felt` says, degC.
        probe, state: it.
        curves: points of all tables.
        faults, kept: all faults, the last of them none; `state.fault` says which one rules.
    """
    if state.fault >= 0:
        shown = _faulty(k, t, value, probe, state, curves, faults[state.fault], kept[state.fault])
    elif probe.plain:
        shown = value
        if probe.resolution_K > 0.0:
            shown = math.floor(shown / probe.resolution_K + 0.5) * probe.resolution_K
        state.at_end = is_at_end(probe, shown)
        shown = min(max(shown, probe.lowest_degC), probe.highest_degC)
    else:
        last = len(faults) - 1
        shown = _awry(t, value, probe, state, curves, 0, faults[last], kept[last])
    state.shown_degC = shown
    return shown
