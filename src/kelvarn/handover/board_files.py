"""What differs between boards: the files that make a program run in one of them."""

from importlib import resources
from typing import Any, Literal, NamedTuple

from kelvarn.engine.decision import Decision
from kelvarn.engine.plant import Drive
from kelvarn.model.rig import Rig
from kelvarn.model.wiring import BOARD_WORDS

from .carry import DECIDED, Carried, columns
from .pages import template
from .translate.c_expr import c_type
from .translate.program import Kind, Type, field_types

BoardName = Literal["simulated", "maker8", "maker32", "micropython", "linux"]
Language = Literal["c99", "python"]


class BoardKind(NamedTuple):
    """A kind of board.

    Attributes:
        title: as it is offered.
        chip: where its program is proved besides C on this computer; empty where nowhere.
        doubles: whether it has numbers of 64 bits.
        language: of its program.
    """

    title: str
    chip: str
    doubles: bool
    language: Language = "c99"


BOARDS: dict[BoardName, BoardKind] = {
    "simulated": BoardKind("simulated board", "", True),
    "maker8": BoardKind(BOARD_WORDS["maker8"], "avr", False),
    "maker32": BoardKind(BOARD_WORDS["maker32"], "cortex-m", True),
    "micropython": BoardKind(BOARD_WORDS["micropython"], "micropython", True, "python"),
    "linux": BoardKind(BOARD_WORDS["linux"], "python", True, "python"),
}
"""Boards that a program goes into."""


def plain(name: str) -> str:
    """A file of a board as it is."""
    return resources.files(__package__).joinpath("boards", name).read_text(encoding="utf-8")


def render(name: str, **of: Any) -> str:
    """A file of a board, filled in."""
    text: str = template(f"boards/{name}").render(**of)
    return text.rstrip("\n") + "\n"


def simulated(carried: Carried) -> str:
    """The board that is not there."""
    return render(
        "board_simulated.c.jinja", inputs=_taken(carried, "row[{}]"), columns=_count(carried),
        outputs=carried.project.rig.drives, decided=DECIDED, adjusts=adjusts(carried),
    )  # fmt: skip


def on_chip(carried: Carried) -> str:
    """The board that a simulator of an 8-bit chip runs."""
    types = field_types(Decision)
    decided = [
        f"tell(&decision->{name}, sizeof decision->{name});"
        if types[name].kind == Kind.REAL
        else f"tell_number((int32_t)decision->{name});"
        for name in DECIDED
    ]
    return render(
        "board_chip.c.jinja", inputs=_taken(carried, "row[{}].x", "row[{}].n"), columns=_count(carried),
        outputs=carried.project.rig.drives, decided=decided, adjusts=adjusts(carried),
    )  # fmt: skip


def row_types(carried: Carried) -> list[Type]:
    """What each column of a row is: the clock, of each probe its figure and whether there is one, the other inputs."""
    integer, real = Type(Kind.INT), Type(Kind.REAL)
    probes = [real, integer] * len(carried.project.rig.probes)
    inputs = [field_types(record)[name] for _, record, name, _ in columns(carried)]
    return [integer, *probes, *inputs, *([integer, real] if adjusts(carried) else [])]


def heats(drive: Drive) -> bool:
    """Whether a drive heats: such ones are off while it is stopped."""
    return drive.direction > 0.0


def swaps(rig: Rig) -> list[int]:
    """Of each probe the first one that is read as it is: these may change places."""
    kinds = [(probe.like, probe.converter, probe.lowest_degC, probe.highest_degC) for probe in rig.probes]
    return [kinds.index(kind) for kind in kinds]


def adjusts(carried: Carried) -> bool:
    """Whether any of its settings stays adjustable: a row then has which one is adjusted, and to what, at its end."""
    return any(each.candidate == carried.candidate.name for each in carried.project.adjustable)


def told_types(carried: Carried) -> list[Type]:
    """What each figure is that is told of a sample."""
    types = field_types(Decision)
    levels = [Type(Kind.REAL)] * len(carried.project.rig.drives)
    return [*(types[name] for name in DECIDED), *levels, Type(Kind.INT), Type(Kind.INT)]


def _count(carried: Carried) -> int:
    return len(row_types(carried))


def _taken(carried: Carried, real: str, other: str | None = None) -> list[str]:
    """Lines that fill the inputs in from a row, whose cells are as named for reals and for others."""
    rig = carried.project.rig
    counts, first, lines = {"said": 1, "asked": len(rig.permits)}, 1 + 2 * len(rig.probes), []
    for place, (group, record, name, row) in enumerate(columns(carried), first):
        if carried.has_input(record, name):
            kind = field_types(record)[name]
            cell = (real if other is None or kind.kind == Kind.REAL else other).format(place)
            index = f"[{row}]" if counts[group] > 1 else ""
            lines.append(f"inputs->{group}{index}.{name} = ({c_type(kind)}){cell};")
    return lines


def python_inputs(carried: Carried) -> list[str]:
    """Lines of Python that fill the inputs in from a row."""
    first, lines = 1 + 2 * len(carried.project.rig.probes), []
    to = {Kind.REAL: "Here.row[{}]", Kind.BOOL: "Here.row[{}] != 0.0"}
    for place, (group, record, name, row) in enumerate(columns(carried), first):
        if carried.has_input(record, name):
            value = to.get(field_types(record)[name].kind, "int(Here.row[{}])").format(place)
            lines.append(f"inputs.{group}[{row}].{name} = {value}")
    return lines
