"""The registers of a program on a Modbus line, made of the same points that its line has; `bus.c` serves them.

A point takes two registers, the high word first: its value times ten for each of its decimals, as a whole number with a
sign; the least there is where it has no value.
"""

import csv
import io
import json
from typing import Literal, NamedTuple

from .points import Point, Points

Table = Literal["input", "holding", "coil", "discrete"]

NO_VALUE = -(2**31)
ABOUT, NAMES, A_NAME, HOLD, A_LEASE, MODE = 3000, 4000, 40, 1000, 10, 1100
"""Where registers begin that tell what it is, that name its points, that take leases; and the mode."""
ABOUT_WORDS = 14
"""Of these registers, from which on they are letters."""
TRIPPED, ALARM, VALID = 16, 48, 80
"""Discrete inputs: where bits of guards, of alarms, of readings begin."""
_LEASE_PARTS = 4


class Register(NamedTuple):
    """A row of a register map.

    Attributes:
        name: of the point, or of what is ordered.
        table: which of the four a master asks.
        address: of its first register, from 0; a coil or discrete input has one bit there.
        words: registers that it takes together, 0 for a bit; more than one have the high word first.
        signed: whether it may be below 0.
        scale: value of one.
        unit: of the value.
        low, high: within which it is, or may be written.
        writes: whether it may be written; always whole.
        what: it is, in a sentence.
    """

    name: str
    table: Table
    address: int
    words: int
    signed: bool
    scale: float
    unit: str
    low: float
    high: float
    writes: bool
    what: str


def register_map(points: Points) -> list[Register]:
    """All registers of a program, in the order in which they are served."""
    reads = (*points.plain, *points.probes, *points.outputs)
    rows = [_of_point(point, "input", 2 * place) for place, point in enumerate(reads)]
    rows += [_of_point(point, "holding", 2 * place) for place, point in enumerate(points.settings)]
    rows += _leases(points)
    rows.append(Register("mode", "holding", MODE, 1, False, 1.0, "-", 0, 3, True,
                         "0 own, 1 hand, 3 obeys; 2 (test) is written with heat in s, limit times ten"))  # fmt: skip
    bits = [("stop", 0, "set: nothing heats from now on"), ("again", 1, "set: it goes on"),
            ("begin", 2, "set: the plan from its start"), ("reset all", 3, "set: as the reset button")]  # fmt: skip
    bits += [(f"reset {name}", 4 + k, "set: this guard is reset") for k, (name, _) in enumerate(points.resets)]
    rows += [_bit(name, "coil", address, what, writes=True) for name, address, what in bits]
    rows += [_bit("ready", "discrete", 0, "it is ready"), _bit("stopped", "discrete", 1, "it is stopped")]
    rows += [_bit(f"tripped {name}", "discrete", TRIPPED + place, "this guard acts") for name, place in points.resets]
    rows += [_bit(f"valid {point.name}", "discrete", VALID + k, "it has a reading")
             for k, point in enumerate(points.probes)]  # fmt: skip
    return rows


def _of_point(point: Point, table: Table, address: int) -> Register:
    what = "a setting that stays adjustable, stored at once" if point.writes else "as the line tells it"
    scale = float(f"1e-{point.decimals}")
    return Register(point.name, table, address, 2, True, scale, point.unit, point.low, point.high, point.writes, what)


def _leases(points: Points) -> list[Register]:
    """Registers that take a lease each: two of the value, seconds, token, written together."""
    names = [("all", -100.0, 100.0, "%"), ("setpoint", -50.0, 50.0, "K"), ("limits", 0.0, 3000.0, "K")]
    names += [(point.name, 0.0, 100.0, "%") for point in points.outputs]
    what = "a lease: value times 100 in two registers, seconds to 60, token; all four at once"
    return [
        Register(f"hold {name}", "holding", HOLD + A_LEASE * k, _LEASE_PARTS, True, 0.01, unit, low, high, True, what)
        for k, (name, low, high, unit) in enumerate(names)
    ]


def _bit(name: str, table: Table, address: int, what: str, *, writes: bool = False) -> Register:
    return Register(name, table, address, 0, False, 1.0, "-", 0, 1, writes, what)


def as_csv(rows: list[Register]) -> str:
    """A map as a table."""
    text = io.StringIO()
    writer = csv.writer(text, lineterminator="\n")
    writer.writerow(Register._fields)
    for row in rows:
        writer.writerow([_cell(value) for value in row])
    return text.getvalue()


def as_json(rows: list[Register]) -> str:
    """A map as JSON."""
    return json.dumps({"format": 1, "registers": [row._asdict() for row in rows]}, indent=2) + "\n"


def _cell(value: object) -> str:
    if isinstance(value, bool):
        return "yes" if value else "no"
    return f"{value:g}" if isinstance(value, float) else str(value)
