"""What to buy for a wiring: each part with what it has to stand, and why."""

import csv
import io
import math
from collections.abc import Iterator
from typing import NamedTuple

from kelvarn.units import Quantity, show

from .circuit import FUSES_A, Circuit, Switched, lead_for
from .pins import kind_of
from .warnings import HOT_DEGC

_SPARE_A, _SPARE_V, _MOST_DROP_SHARE = 1.5, 1.25, 0.02


class ToBuy(NamedTuple):
    """A line of the list: what, what it has to stand, why."""

    what: str
    stands: str
    why: str


def parts_list(circuit: Circuit) -> list[ToBuy]:
    """All parts, in the order in which they are wired."""
    found = [
        ToBuy(circuit.board.title, f"{circuit.logic_V:g} V, {circuit.board.pin_mA:g} mA a pin", "carries the program")
    ]
    found += [part for each in circuit.switched for part in _of_output(circuit, each)]
    loads = [each for each in circuit.switched if not each.on_mains]
    if loads:
        found.append(ToBuy("supply", f"{circuit.wiring.supply_V:g} V, ≥ {1.1 * circuit.supply_A:.1f} A",
                            f"all together take {circuit.supply_A:.1f} A"))  # fmt: skip
    through_A = _through_contactor_A(circuit)
    if through_A:
        volts = max(each.output.load_V for each in circuit.switched)
        found.append(ToBuy("contactor for the drives, as a module", f"{volts:g} V, ≥ {_SPARE_A * through_A:.1f} A",
                            "drops where a guard cuts the drives"))  # fmt: skip
    found.append(ToBuy("button", "closes while pressed", "resets what has tripped"))
    heaters = circuit.heaters
    if heaters:
        amperes = sum(each.amperes for each in heaters)
        cut_off = circuit.cut_off
        at = "above what is wanted" if cut_off is None else show(cut_off.at_degC, Quantity.TEMPERATURE)
        found.append(
            ToBuy("thermal cut-off", f"{at}, ≥ {1.2 * amperes:.1f} A", "in the heater's lead; needs no software")
        )
    found += list(_of_probes(circuit))
    stands = f"{circuit.logic_V:g} V, ≤ {circuit.board.pin_mA:g} mA"
    found += [ToBuy(each.outlet, stands, f"alarms, on pin {each.pin}") for each in circuit.signals if each.pin]
    return found


def _through_contactor_A(circuit: Circuit) -> float:
    """What flows through the drives' contactor at most, A."""
    return sum(each.amperes for each in circuit.switched if each.output.kind not in ("fan", "valve"))


def _of_output(circuit: Circuit, each: Switched) -> Iterator[ToBuy]:
    output, name = each.output, each.drive.name
    stands = f"{_SPARE_V * output.load_V:.0f} V, {_SPARE_A * each.amperes:.1f} A"
    if output.kind.startswith("transistor"):
        most_W = (HOT_DEGC[output.kind] - circuit.outside_degC) / output.to_air_K_per_W
        amperes = max(each.amperes, 1e-9)
        most_ohm = min(most_W / amperes**2, _MOST_DROP_SHARE * output.load_V / amperes)
        yield ToBuy(f"transistor for {name}, opening fully at {min(4.5, 0.9 * circuit.logic_V):.1f} V",
                     f"{stands}, ≤ {_rounded_down(1000 * most_ohm):g} mΩ",
                     f"{each.amperes:.1f} A, {each.watts:.2g} W in it")  # fmt: skip
        yield ToBuy(f"resistor at its input, for {name}", f"{output.gate_ohm:g} Ω", "keeps the pin's current small")
    elif output.kind == "solid_state":
        yield ToBuy(f"solid-state relay for {name}", f"{stands}, input from 3 V", f"{each.watts:.2g} W in it: "
                                                                                   f"a heatsink of "
                     f"{output.to_air_K_per_W:g} K/W with it")  # fmt: skip
    elif output.kind == "relay_module":
        yield ToBuy(f"relay module for {name}", f"{stands}, input {circuit.logic_V:g} V", f"{each.amperes:.1f} A")
    elif output.kind == "fan":
        yield ToBuy(f"fan {name}, four wires", f"{output.load_V:g} V, {each.amperes:.2f} A", "its own switch is in it")
    elif output.kind == "valve":
        yield ToBuy(f"motor valve {name}", f"{output.load_V:g} V", "its own switch is in it")
    if output.hold_ohm is not None:
        off = "the supply" if each.drive.active_low else "ground"
        yield ToBuy(f"resistor to {off}, for {name}", f"{output.hold_ohm / 1000:g} kΩ",
                     f"off while the board starts, up to {circuit.board.starts_s:g} s")  # fmt: skip
    if output.kind not in ("fan", "valve"):
        fuse = output.fuse_A or next((size for size in FUSES_A if size >= 1.15 * each.amperes), FUSES_A[-1])
        yield ToBuy(f"fuse for {name}", f"{fuse:g} A, slow",
                     f"between {each.amperes:.1f} A and the lead's {each.lead_A:g} A")  # fmt: skip
    mm2 = max(output.lead_mm2, lead_for(each.amperes))
    yield ToBuy(f"lead to {name}", f"{mm2:g} mm², 2 × {output.lead_m:g} m", f"drops {each.lead_drop_V:.2g} V")


def _of_probes(circuit: Circuit) -> Iterator[ToBuy]:
    for probe, wiring, pin in circuit.probes:
        kind = kind_of(probe)
        analog = "thermistor" if probe.converter is None or probe.converter.sensor == "ntc" else "sensor by its table"
        like = probe.like or {"analog": analog, "couple": "thermocouple", "wire": "digital probe"}[kind]
        like += " with its converter" if kind == "couple" else ""
        yield ToBuy(f"{probe.name}: {like}", f"{show(probe.lowest_degC, Quantity.TEMPERATURE)} … "
                     f"{show(probe.highest_degC, Quantity.TEMPERATURE)}", f"on pin {pin}")  # fmt: skip
        if probe.converter is not None and probe.converter.has_divider:
            yield ToBuy(f"resistor of {probe.name}", f"{probe.converter.fixed_ohm / 1000:g} kΩ, 1 %", "its divider")
        elif kind == "wire" and wiring.pull_up_ohm is not None:
            yield ToBuy(f"resistor of {probe.name}", f"{wiring.pull_up_ohm / 1000:g} kΩ", "pulls its data wire up")
        if wiring.capacitor_nF is not None:
            yield ToBuy(f"capacitor of {probe.name}", f"{wiring.capacitor_nF:g} nF", "against noise, at the pin")


def as_csv(parts: list[ToBuy]) -> str:
    """The list as a table."""
    text = io.StringIO()
    writer = csv.writer(text, lineterminator="\n")
    writer.writerow(("part", "has to stand", "why"))
    writer.writerows(parts)
    return text.getvalue()


def _rounded_down(value: float) -> float:
    """To two digits, never up: what is bought must not be worse."""
    unit = 10.0 ** (math.floor(math.log10(value)) - 1)
    return math.floor(value / unit) * unit
