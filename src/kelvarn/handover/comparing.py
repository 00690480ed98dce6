"""What a program told beside what the engine decided, figure by figure."""

import re
from collections.abc import Mapping, Sequence

import numpy as np

from kelvarn.engine.layout import Floats

from .carry import DECIDED, Carried
from .proof_records import Compared, Difference
from .twin import BoardRow, same

_CODES = frozenset(
    ("law_code", "guard_code", "alarm_code", "tripped", "drives_cut", "loads_cut", "stopped", "alone", "ready")
)
_OF_LAW = frozenset(("asked", "given"))
_AROUND, _MOST_LINES = 60, 6


def figures(carried: Carried) -> tuple[str, ...]:
    """Names of what is told of a sample, in order."""
    return (
        *DECIDED,
        *(f"level of “{drive.name}”" for drive in carried.project.rig.drives),
        "contactor",
        "contactor of loads",
    )


def compared(
    carried: Carried, within: float, expected: Sequence[Sequence[float]], found: Floats, rows: Sequence[BoardRow]
) -> Compared:
    """Compare what was told.

    Args:
        carried: the program.
        within: share, or of 1, by which a number may be off; what is decided may not.
        expected, found: of each sample the figures of the engine, and of the program.
        rows: what the board read at each.
    """
    names = figures(carried)
    if len(expected) != len(found):
        first = Difference("samples taken", min(len(expected), len(found)), (), len(expected), len(found))
        return Compared(len(expected), abs(len(expected) - len(found)), first)
    differing, earliest, largest, reasons, given = 0, None, 0.0, 0, np.array(expected)
    # What 32 bits round grows with the largest number that the law has had.
    most = np.maximum.accumulate(np.abs(given[:, 1])) if len(given) else given
    for sample, (one, other) in enumerate(zip(expected, found.tolist(), strict=True)):
        largest = max([largest, *(abs(a - b) for name, a, b in zip(names, one, other, strict=True)
                                  if name not in _CODES and a != b)])  # fmt: skip
        apart = differ(names, one, other, within, most[sample])
        if carried.real == "float" and only_reasons(apart):
            reasons += 1
        elif apart:
            differing += 1
            if earliest is None:
                column = names.index(apart[0])
                around = _around(sample, rows, given[:, column], found[:, column])
                earliest = Difference(apart[0], sample, tuple(rows[sample]), one[column], other[column], around)
    return Compared(len(expected), differing, earliest, largest, reasons)


def differ(
    names: Sequence[str], one: Sequence[float], other: Sequence[float], within: float, most: float
) -> list[str]:  # fmt: skip
    """Names of the figures of a sample that differ by more than `within`; `most` as for `_tolerance`."""
    return [
        name for name, a, b in zip(names, one, other, strict=True) if not same(a, b, _tolerance(name, within, most))
    ]


def only_reasons(apart: Sequence[str]) -> bool:
    """Whether only the reason differs: the law asks for 0, or for as good as 0, and a guard has nothing to overrule."""
    return "law_code" in apart and {*apart} <= {"law_code", "guard_code"}


def _tolerance(name: str, within: float, most: float) -> float:
    """By which share, or of 1, a figure of the program may be off; `most` is the largest that the law has had."""
    if name in _CODES:
        return 0.0
    return within * max(most, 1.0) if name in _OF_LAW else within


def _around(
    sample: int, rows: Sequence[BoardRow], engine: Floats, program: Floats
) -> tuple[tuple[float, float, float, float], ...]:
    """Samples before and after one: seconds, what the first probe has, and the two figures."""
    those = range(max(0, sample - _AROUND), min(len(rows), len(engine), sample + _AROUND))
    return tuple((rows[k][0] / 1000.0, rows[k][1], float(engine[k]), float(program[k])) for k in those)


def lines_that_set(figure: str, files: Mapping[str, str]) -> list[str]:
    """Lines of the control step that write a figure, each with its file and number."""
    name = "level" if figure.startswith("level of ") else re.sub(r"\W.*", "", figure)
    found = []
    for file in ("control.c", "control.py"):
        for number, line in enumerate(files.get(file, "").splitlines(), 1):
            if re.search(rf"(->|\.)\b{re.escape(name)}\b\s*[-+*/]?=[^=]", line):
                found.append(f"{file}, line {number}: {line.strip()}")
    return found[:_MOST_LINES] or [f"what sets {name} stands in control.h or program.c"]
