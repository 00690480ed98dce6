"""The files of a wiring."""

from . import parts_list, terminals
from .circuit import Circuit
from .drawing import drawing
from .warnings import warnings_of


def wiring_files(circuit: Circuit) -> dict[str, str]:
    """All of them, by name."""
    warned = warnings_of(circuit)
    said = "".join(f"- {each.part}: {each.text}\n" for each in warned) or "None.\n"
    return {
        "wiring.svg": drawing(circuit, warned),
        "terminals.csv": terminals.as_csv(terminals.terminals(circuit)),
        "parts.csv": parts_list.as_csv(parts_list.parts_list(circuit)),
        "warnings.txt": said,
    }
