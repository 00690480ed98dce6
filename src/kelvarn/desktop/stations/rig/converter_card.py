"""What a probe is read with: bits, thermistor and divider, or the sensor's table, typed or pasted."""

import re
from functools import partial

from PySide6.QtGui import QGuiApplication

from kelvarn.desktop.language import tell
from kelvarn.model.edit import EditError, Path, with_fields
from kelvarn.model.probes import Converter, Probe, SensorPoint
from kelvarn.sentence import figures, say

from .part_panel import PartPanel

_PT1000 = ((-50, 803.06), (0, 1000.0), (50, 1193.97), (100, 1385.06), (150, 1573.25), (200, 1758.56))
"""Platinum of 1000 Ω: IEC 60751:2008; a table to begin with, rising."""
_LINEAR_V = ((0, 0.5), (100, 4.5))
_MOST = 40


def fill_converter(panel: PartPanel, here: Path) -> None:
    """The fields of a converter."""
    panel.choice(here, "sensor", _sensors(), partial(_set_sensor, panel, here))
    panel.field(here, "bits")
    made: Converter = panel.at(here)
    if made.sensor == "ntc":
        panel.fields(here, ("ohm_at_25_degC", "beta_K"))
    if made.has_divider:
        panel.field(here, "fixed_ohm")
    if made.sensor == "volt_curve":
        panel.field(here, "full_V")
    if made.by_table:
        _fill_table(panel, here, made)


def _sensors() -> list[tuple[str, str]]:
    extra = Converter.model_fields["sensor"].json_schema_extra
    words = extra.get("words") if isinstance(extra, dict) else None
    return [(str(name), tell(str(text))) for name, text in words.items()] if isinstance(words, dict) else []


def _fill_table(panel: PartPanel, here: Path, made: Converter) -> None:
    unit = "V" if made.sensor == "volt_curve" else "Ω"
    for k, point in enumerate(made.points):
        at: Path = (*here, "points", k)
        panel.field(at, "degC", tell("{number}: at", number=k + 1))
        field = panel.field(at, "value", tell("it has, {unit}", unit=unit))
        if len(made.points) > 2:
            field.add_beside(
                panel.cross(
                    tell("Take out the row at {degC}", degC=figures(f"{point.degC:g}", "°C")),
                    partial(_drop, panel, here, k),
                )
            )
    panel.button(tell("+ row"), partial(_add_row, panel, here), tell("One more row after the last one"))
    panel.button(
        tell("Paste a table"),
        partial(_paste, panel, here),
        tell("Two columns from the clipboard: °C and {unit}, a row a line", unit=unit),
    )


def _put(panel: PartPanel, here: Path, converter: Converter, what: str) -> None:
    """Let a probe have a converter; its readings stay inside the table."""
    probe: Probe = panel.at(here[:-1])
    changes: dict[str, object] = {"converter": converter}
    if converter.by_table:
        low, high = converter.points[0].degC, converter.points[-1].degC
        before = probe.converter
        follows = before is None or not before.by_table  # else whoever set them narrower meant it
        inside_low, inside_high = max(probe.lowest_degC, low), min(probe.highest_degC, high)
        if follows or inside_low >= inside_high:
            inside_low, inside_high = low, high
        changes |= {"lowest_degC": inside_low, "highest_degC": inside_high}
    panel.document.set(here[:-1], with_fields(probe, **changes), what)


def _set_sensor(panel: PartPanel, here: Path, sensor: str) -> None:
    before: Converter = panel.at(here)
    if before.sensor == sensor:
        return
    rows = {"ohm_curve": _PT1000, "volt_curve": _LINEAR_V}.get(sensor, ())
    points = tuple(SensorPoint(degC=degC, value=value) for degC, value in rows)
    changes: dict[str, object] = {"sensor": sensor, "points": points}
    if sensor == "ohm_curve":
        changes["fixed_ohm"] = 2200.0
    _put(panel, here, with_fields(before, **changes), tell("sensor: {kind}", kind=dict(_sensors())[sensor]))


def _drop(panel: PartPanel, here: Path, k: int) -> None:
    before: Converter = panel.at(here)
    points = before.points[:k] + before.points[k + 1 :]
    _put(panel, here, with_fields(before, points=points), tell("take out a row of the table"))


def _add_row(panel: PartPanel, here: Path) -> None:
    before: Converter = panel.at(here)
    if len(before.points) >= _MOST:
        raise EditError(say("A table has at most {count} rows.", count=_MOST))
    last, other = before.points[-1], before.points[-2]
    way = last.value - other.value
    value = last.value + way if last.value + way > 0 else last.value / 2
    if before.sensor == "volt_curve":
        value = min(value, (last.value + (before.full_V if way > 0 else 0.0)) / 2)
    point = SensorPoint(degC=last.degC + (last.degC - other.degC), value=value)
    _put(panel, here, with_fields(before, points=(*before.points, point)), tell("one more row of the table"))


def _paste(panel: PartPanel, here: Path) -> None:
    rows = table_of(QGuiApplication.clipboard().text())
    before: Converter = panel.at(here)
    _put(panel, here, with_fields(before, points=rows), tell("table of {count} rows", count=len(rows)))


def table_of(text: str) -> tuple[SensorPoint, ...]:
    """Rows of a sensor's table as it is copied from a data sheet or a spreadsheet, sorted by temperature.

    Raises:
        EditError: says which line is no pair of numbers, or that there are too few or too many.
    """
    found: list[SensorPoint] = []
    for number, line in enumerate(text.splitlines(), 1):
        if not line.strip():
            continue
        # A comma parts the columns unless something else does: then it is a decimal one.
        cells = re.split(r"[;\t]|\s{1,}", line.strip()) if re.search(r"[;\t]|\S\s+\S", line) else line.split(",")
        cells = [cell for cell in cells if cell]
        try:
            degC, value = (float(cell.strip().replace(",", ".").replace("−", "-")) for cell in cells)
        except ValueError:
            if not found and number == 1:
                continue  # a heading
            raise EditError(say("Line {number} of the clipboard is no pair of numbers: “{line}”.", number=number,
                                line=line.strip()[:40])) from None  # fmt: skip
        found.append(SensorPoint(degC=degC, value=value))
    if not 2 <= len(found) <= _MOST:
        raise EditError(say("The clipboard holds {count} rows of two numbers; a table has 2 to {most}.",
                            count=len(found), most=_MOST))  # fmt: skip
    return tuple(sorted(found, key=lambda point: point.degC))
