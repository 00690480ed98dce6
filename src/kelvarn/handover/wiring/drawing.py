"""The drawing of a wiring as SVG, laid out by the program: a row for each pin, from the board to what it is for.

Rows do not cross: what goes to ground or to the supply ends in a mark of its own, as a person would draw it who wants
it to be read.
"""

from collections.abc import Iterator
from html import escape
from typing import NamedTuple

from kelvarn.model.wiring import SWITCH_WORDS
from kelvarn.units import Quantity, show

from .circuit import CONTACTOR, Circuit, Switched
from .pins import kind_of
from .warnings import BOARD, Warned

_BOARD_LEFT, _BOARD_WIDTH, _FIRST, _ROW, _BOX = 4, 152, 70, 68, 34
_GAP, _LETTER, _MOST_LETTERS, _LEAST_BOX = 20, 7.0, 24, 60
_MARGIN = 8


class Colors(NamedTuple):
    """Of a drawing, as SVG has them."""

    ink: str = "#22303A"
    muted: str = "#6B757C"
    load: str = "#C8502B"
    warned: str = "#B7791F"
    box: str = "#FBF9F4"


class _Part(NamedTuple):
    """A box of a row: what stands in it, whether the load's current flows on to the next, whether it is warned of."""

    text: str
    carries: bool = False
    warned: bool = False


class _Row(NamedTuple):
    """A row.

    Attributes:
        pin: where it begins; parts: its boxes; ends: what it ends in, empty where the last box is its end.
        above: what is said above it; below: and below, from the box `below_at` on.
        ground_at: the box that goes to ground.
    """

    pin: str
    parts: tuple[_Part, ...]
    ends: str
    above: str = ""
    below: str = ""
    below_at: int = 0
    ground_at: int | None = None


def drawing(circuit: Circuit, warned: list[Warned], colors: Colors | None = None) -> str:
    """The drawing as SVG.

    Args:
        circuit: what is drawn.
        warned: what is wrong; these parts are outlined.
        colors: to draw with; None for those of paper.
    """
    look = colors or Colors()
    rows = list(_rows(circuit, {each.part for each in warned}))
    drawn, width = [], 0.0
    for k, row in enumerate(rows):
        lines, right = _drawn(row, _FIRST + k * _ROW, look)
        drawn += lines
        width = max(width, right)
    height = _FIRST + len(rows) * _ROW
    edge = look.warned if any(each.part == BOARD for each in warned) else look.ink
    board = [
        f'<rect x="{_BOARD_LEFT}" y="{_FIRST - 44}" width="{_BOARD_WIDTH}" height="{height - _FIRST + 10}" rx="4" '
        f'fill="{look.box}" stroke="{edge}" stroke-width="1.5"/>',
        _text(_BOARD_LEFT + 10, _FIRST - 24, _cut(circuit.board.title), look.ink, bold=True),
    ]
    whole = width + _MARGIN
    return "\n".join([
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{whole:.0f}" height="{height}" '
        f'viewBox="0 0 {whole:.0f} {height}" font-family="sans-serif" font-size="12">',
        *board, *drawn, "</svg>", "",
    ])  # fmt: skip


def _rows(circuit: Circuit, warned: set[str]) -> Iterator[_Row]:
    logic = f"{circuit.logic_V:g} V"
    for probe, wiring, pin in circuit.probes:
        if probe.converter is not None and not probe.converter.has_divider:
            above = "gives a voltage"
        elif probe.converter is not None:
            above = f"{probe.converter.fixed_ohm / 1000:g} kΩ from the pin to {logic}"
        elif kind_of(probe) == "couple":
            above = "with its converter" + ("" if probe.like else " (its type is not stated at Rig)")
        elif wiring.pull_up_ohm is not None:
            above = f"pull-up {wiring.pull_up_ohm / 1000:g} kΩ to {logic}"
        else:
            above = "no pull-up"
        below = f"{wiring.capacitor_nF:g} nF to ground at the pin" if wiring.capacitor_nF is not None else ""
        yield _Row(pin, (_Part(probe.name, warned=probe.name in warned),), "0 V", above, below)
    for each in circuit.switched:
        yield _of_output(circuit, each, warned)
    for signal in circuit.signals:
        if signal.pin:
            yield _Row(signal.pin, (_Part(signal.outlet, warned=signal.outlet in warned),), "0 V", below="alarms")
    for name, pin in circuit.others:
        yield _Row(pin, (_Part(name),), "" if name.startswith("converters") else "0 V")


def _of_output(circuit: Circuit, each: Switched, warned: set[str]) -> _Row:
    output, name = each.output, each.drive.name
    wrong = name in warned
    plus = f"{output.load_V:g} V" + (" mains" if each.on_mains else "")
    hold = ""
    if output.hold_ohm is not None:
        off = circuit.logic_V if each.drive.active_low else 0
        hold = f"{output.hold_ohm / 1000:g} kΩ to {off:g} V: off until decided"
    flows = f"{each.amperes:.3g} A: {output.lead_mm2:g} mm² or thicker"
    if output.kind in ("fan", "valve"):
        return _Row(each.pin, (_Part(name, warned=wrong),), plus, hold, SWITCH_WORDS[output.kind])
    switch = SWITCH_WORDS[output.kind].split(",")[0]
    parts = [_Part(switch, carries=True, warned=wrong), _Part(f"{name}, {_watts(each)}", carries=True)]
    if output.kind.startswith("transistor"):
        parts.insert(0, _Part(f"{output.gate_ohm:g} Ω"))
    if each.heats and circuit.cut_off is not None:
        parts.append(_Part(f"cut-off {show(circuit.cut_off.at_degC, Quantity.TEMPERATURE)}", carries=True))
    if any(name == CONTACTOR and pin for name, pin in circuit.others):
        parts.append(_Part("contactor", carries=True))
    if output.fuse_A is not None:
        parts.append(_Part(f"fuse {output.fuse_A:g} A", carries=True))
    load = next(k for k, part in enumerate(parts) if part.text.startswith(name))
    ground_at = 1 if output.kind == "transistor_low" else None
    return _Row(each.pin, tuple(parts), plus, hold, flows, load, ground_at)


def _watts(each: Switched) -> str:
    return show(float(getattr(each.drive, "power_W", 0.0)), Quantity.POWER)


def _drawn(row: _Row, y: float, look: Colors) -> tuple[list[str], float]:
    """A row, and where it ends."""
    x: float = _BOARD_LEFT + _BOARD_WIDTH
    lines = [
        f'<circle cx="{x}" cy="{y}" r="3.5" fill="{look.box}" stroke="{look.ink}" stroke-width="1.5"/>',
        _text(x - 10, y + 4, row.pin or "none left", look.ink, bold=True, end=True),
    ]
    carries, begins = False, [x]
    for k, part in enumerate(row.parts):
        gap = _GAP + (14 if k == 0 else 0)
        lines.append(_line(x, y, x + gap, y, look.load if carries else look.ink, thick=carries))
        x += gap
        begins.append(x)
        text = _cut(part.text)
        width = max(_LEAST_BOX, _LETTER * len(text) + 14)
        edge = look.warned if part.warned else look.ink
        lines.append(
            f'<rect x="{x:.1f}" y="{y - _BOX / 2:.1f}" width="{width:.1f}" height="{_BOX}" rx="4" fill="{look.box}" '
            f'stroke="{edge}" stroke-width="{2 if part.warned else 1.2}"/>'
        )
        lines.append(_text(x + width / 2, y + 4, text, look.ink, middle=True))
        if row.ground_at == k:
            lines += _ground(x + width / 2, y + _BOX / 2, look)
        x += width
        carries = part.carries
    right = x
    if row.ends:
        lines.append(_line(x, y, x + _GAP, y, look.load if carries else look.ink, thick=carries))
        lines.append(_text(x + _GAP + 5, y + 4, row.ends, look.load if carries else look.ink, bold=True))
        right += _GAP + 10 + _LETTER * len(row.ends)
    for text, at, dy in ((row.above, 0, -_BOX / 2 - 5), (row.below, row.below_at, _BOX / 2 + 14)):
        if text:
            lines.append(_text(begins[at + 1], y + dy, text, look.muted))
            right = max(right, begins[at + 1] + _LETTER * len(text))
    return lines, right


def _line(x: float, y: float, to_x: float, to_y: float, color: str, *, thick: bool = False) -> str:
    return (f'<line x1="{x:.1f}" y1="{y:.1f}" x2="{to_x:.1f}" y2="{to_y:.1f}" stroke="{color}" '
            f'stroke-width="{3 if thick else 1.5}"/>')  # fmt: skip


def _ground(x: float, y: float, look: Colors) -> list[str]:
    """The mark of 0 V."""
    marks = [_line(x, y, x, y + 6, look.load, thick=True)]
    marks += [_line(x - half, y + 6 + 3 * k, x + half, y + 6 + 3 * k, look.ink) for k, half in enumerate((8, 5, 2))]
    return marks


def _text(x: float, y: float, text: str, color: str, *, bold: bool = False, end: bool = False,
          middle: bool = False) -> str:  # fmt: skip
    anchor = ' text-anchor="end"' if end else ' text-anchor="middle"' if middle else ""
    weight = ' font-weight="600"' if bold else ""
    return f'<text x="{x:.1f}" y="{y:.1f}" fill="{color}"{anchor}{weight}>{escape(text)}</text>'


def _cut(text: str) -> str:
    return text if len(text) <= _MOST_LETTERS else text[: _MOST_LETTERS - 1] + "…"
