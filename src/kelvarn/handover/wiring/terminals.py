"""The table of terminals: from where to where each wire goes, and what lies between."""

import csv
import io
from collections.abc import Iterator
from typing import NamedTuple

from kelvarn.model.wiring import SWITCH_WORDS

from .circuit import CONTACTOR, Circuit, Switched
from .pins import kind_of


class Terminal(NamedTuple):
    """A wire: from a terminal to another, through what, of which thickness (empty: any)."""

    begins: str
    through: str
    ends: str
    lead: str = ""


def terminals(circuit: Circuit) -> list[Terminal]:
    """All wires, in the order in which they are drawn."""
    logic = f"{circuit.logic_V:g} V of the board"
    found = [Terminal("ground of the board", "", "0 V of the supply", "as thick as the thickest lead")]
    for probe, wiring, pin in circuit.probes:
        if probe.converter is not None and not probe.converter.has_divider:
            found.append(Terminal(logic, "", f"{probe.name}, its supply"))
        elif probe.converter is not None:
            found.append(Terminal(logic, f"{probe.converter.fixed_ohm / 1000:g} kΩ", f"pin {pin}"))
        elif kind_of(probe) == "wire" and wiring.pull_up_ohm is not None:
            found.append(Terminal(logic, f"{wiring.pull_up_ohm / 1000:g} kΩ", f"pin {pin}"))
        found.append(Terminal(f"pin {pin}", "", f"{probe.name}"))
        if wiring.capacitor_nF is not None:
            found.append(Terminal(f"pin {pin}", f"{wiring.capacitor_nF:g} nF", "ground of the board"))
        found.append(Terminal(f"{probe.name}, other wire", "", "ground of the board"))
    for each in circuit.switched:
        found += _of_output(circuit, each)
    for signal in circuit.signals:
        if signal.pin:
            found.append(Terminal(f"pin {signal.pin}", "", signal.outlet))
    for name, pin in circuit.others:
        found.append(Terminal(f"pin {pin}", "", f"input of the {name}" if "contactor" in name else name))
        if not name.startswith("converters"):
            found.append(Terminal(f"other end of the {name}", "", "ground of the board"))
    return found


def _of_output(circuit: Circuit, each: Switched) -> Iterator[Terminal]:
    output, name = each.output, each.drive.name
    lead = f"{output.lead_mm2:g} mm²"
    plus = f"{output.load_V:g} V, {'L of the mains' if each.on_mains else 'plus of the supply'}"
    minus = "N of the mains" if each.on_mains else "0 V of the supply"
    switch = f"{SWITCH_WORDS[output.kind].split(',')[0]} of {name}"
    if output.hold_ohm is not None:
        off = f"{circuit.logic_V:g} V of the board" if each.drive.active_low else "ground of the board"
        yield Terminal(f"input of the {switch}", f"{output.hold_ohm / 1000:g} kΩ", off)
    if output.kind in ("fan", "valve"):
        yield Terminal(f"pin {each.pin}", "", f"control input of {name}")
        yield Terminal(plus, "", f"plus of {name}", lead)
        yield Terminal(f"minus of {name}", "", minus, lead)
        return
    through = f"{output.gate_ohm:g} Ω" if output.kind.startswith("transistor") else ""
    yield Terminal(f"pin {each.pin}", through, f"input of the {switch}")
    saved = [f"fuse {output.fuse_A:g} A"] if output.fuse_A is not None else []
    saved.append(CONTACTOR)
    saved += ["thermal cut-off"] if each.heats and circuit.cut_off is not None else []
    if output.kind == "transistor_low":
        yield Terminal(plus, ", then ".join(saved), f"plus of {name}", lead)
        yield Terminal(f"minus of {name}", "", f"output of the {switch}", lead)
        yield Terminal(f"0 V of the {switch}", "", minus, lead)
    else:
        yield Terminal(plus, ", then ".join(saved), f"contact of the {switch}", lead)
        yield Terminal(f"other contact of the {switch}", "", name, lead)
        yield Terminal(f"other end of {name}", "", minus, lead)


def as_csv(rows: list[Terminal]) -> str:
    """The table."""
    text = io.StringIO()
    writer = csv.writer(text, lineterminator="\n")
    writer.writerow(("from", "through", "to", "lead"))
    writer.writerows(rows)
    return text.getvalue()
