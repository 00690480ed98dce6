"""Which pin of a board is what: as the project's wiring says it, the rest in the order in which pins are proposed."""

from collections.abc import Iterator
from typing import Literal, NamedTuple

from kelvarn.model.guards import CutOff, Hours
from kelvarn.model.probes import Probe
from kelvarn.model.project import Project
from kelvarn.model.wiring import WiringBoard

_HOTTEST_ON_WIRE = 130.0
_COUPLE = "thermocouple"
_MAKER = (("9", "10", "3", "11"), ("4", "7", "8", "12", "2", "13", "5", "6"), ("A0", "A1", "A2", "A3", "A4", "A5"))
_PROPOSED: dict[WiringBoard, tuple[tuple[str, ...], tuple[str, ...], tuple[str, ...]]] = {
    "maker8": _MAKER, "maker32": _MAKER,
    "micropython": (("15", "14", "13", "12"), ("16", "17", "18", "19", "20", "21", "22", "11", "10", "9"),
                    ("26", "27", "28")),
    "linux": (("12", "13", "18", "19"), ("4", "5", "6", "16", "17", "20", "21", "22", "23", "24", "25", "26", "27"),
              ("AIN0", "AIN1", "AIN2", "AIN3")),
}  # fmt: skip
"""Of each board the pins that are proposed: of outputs, of others, of probes that are read as a voltage."""

ProbeKind = Literal["analog", "couple", "wire"]


def kind_of(probe: Probe) -> ProbeKind:
    """How a probe is read: as a voltage, by a thermocouple's converter, on one wire."""
    if probe.converter is not None:
        return "analog"
    hot = not probe.like and probe.highest_degC > _HOTTEST_ON_WIRE
    return "couple" if _COUPLE in probe.like or hot else "wire"


class PinPlan(NamedTuple):
    """Pins by name; "" where the board has none left.

    Attributes:
        outputs, probes: in the order of the rig.
        contactor, reset: of the drives, of who presses it.
        loads: of the contactor of what heats by itself; None where nothing cuts that.
        converters: clock and data of thermocouple converters; empty where there are none.
        permits: of contacts, in the order of the rig.
    """

    outputs: tuple[str, ...]
    contactor: str
    reset: str
    loads: str | None
    probes: tuple[str, ...]
    converters: tuple[str, ...]
    permits: tuple[str, ...]


def pin_plan(project: Project, board: WiringBoard) -> PinPlan:
    """The pins of a project on a board."""
    rig = project.rig
    wiring = project.wiring if project.wiring.board == board else project.wiring.model_copy(
        update={"outputs": (), "probes": (), "signals": ()}
    )  # fmt: skip
    said = {each.drive: each.pin for each in wiring.outputs} | {each.probe: each.pin for each in wiring.probes}
    named = {*said.values(), *(each.pin for each in wiring.signals)}
    of_outputs, others, of_voltages = (_free(pins, named) for pins in _PROPOSED[board])
    outputs = tuple(said.get(drive.name) or next(of_outputs, "") for drive in rig.drives)
    contactor, reset = next(others, ""), next(others, "")
    cuts = any(getattr(guard, "does", "") == "load" and not isinstance(guard, CutOff) for guard in rig.guards)
    loads = next(others, "") if cuts else None
    probes = tuple(
        said.get(probe.name) or next(of_voltages if kind_of(probe) == "analog" else others, "") for probe in rig.probes
    )
    couples = board.startswith("maker") and any(kind_of(probe) == "couple" for probe in rig.probes)
    converters = (next(others, ""), next(others, "")) if couples else ()
    permits = tuple(next(others, "") for permit in rig.permits if board != "linux" or not isinstance(permit, Hours))
    return PinPlan(outputs, contactor, reset, loads, probes, converters, permits)


def _free(pins: tuple[str, ...], named: set[str]) -> Iterator[str]:
    return (pin for pin in pins if pin not in named)
