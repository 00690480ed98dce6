"""Results as tables: JSON for programs, a CSV trace for each run."""

import csv
import json
import re
from collections.abc import Sequence
from dataclasses import asdict
from pathlib import Path
from typing import Any

from kelvarn.engine.marks import Verdict
from kelvarn.engine.measures import Measures, Span
from kelvarn.engine.pulses import counts_of
from kelvarn.engine.run import Run
from kelvarn.engine.step import StepResponse
from kelvarn.units import Scale
from kelvarn.words.guards import ruler_name

from .writing import write_whole

_OF_MODEL = frozenset({"settings", "drives", "probes", "plan", "guards", "permits"})
"""Keys of parts of a project, which are written with the names that they have in its file."""


def json_text(made: Any, scale: Scale | None) -> str:
    """What a command prints as JSON; of another quantity than temperature, its keys name that unit and not °C or K.

    Args:
        made: of objects whose keys end in units.
        scale: of the project's own quantity; None for temperature.
    """
    return json.dumps(made if scale is None else _renamed(made, own_unit(scale.value)), indent=2, ensure_ascii=False)


def own_unit(unit: str) -> str:
    """A unit as a part of a key: "% RH" is pct_RH."""
    return re.sub(r"\W+", "_", unit.replace("%", "pct")).strip("_")


def _renamed(made: Any, unit: str) -> Any:
    if isinstance(made, dict):
        return {own_key(k, unit): value if k in _OF_MODEL else _renamed(value, unit) for k, value in made.items()}
    return [_renamed(each, unit) for each in made] if isinstance(made, list) else made


def own_key(key: str, unit: str) -> str:
    """A key whose units of temperature are of another quantity."""
    units = {"degC": unit, "K": unit, "Ks": f"{unit}_s", "K2s": f"{unit}2_s", "Ks2": f"{unit}_s2"}
    return "_".join(units.get(part, part) for part in key.split("_"))


def measures_json(measures: Measures) -> dict[str, Any]:
    """Measures with unit-suffixed keys: of the window that cards and marks speak of, the run, every window."""
    main = measures.main
    return {
        **main.values,
        **measures.values,
        "ended": None if measures.ended is None else {"guard": measures.ended[0], "at_s": measures.ended[1]},
        "stages": {
            key: {"name": stage.name, "from_s": stage.from_s, "setpoint_degC": stage.setpoint_degC}
            for key, stage in main.stages.items()
        },
        "main_window": {"from_s": main.from_s, "to_s": main.to_s, "setpoint_degC": main.setpoint_degC},
        "hottest_degC": measures.hottest_degC,
        "coldest_degC": measures.coldest_degC,
        "limit_margin_K": measures.limit_margin_K,
        "beyond_limit_s": measures.beyond_limit_s,
        "reasons": {**main.reasons, **measures.reasons},
        "windows": [_window_json(window) for window in measures.windows],
    }


def _window_json(window: Span) -> dict[str, Any]:
    return {
        **{name: getattr(window, name) for name in ("opens", "name", "from_s", "to_s", "setpoint_degC", "reasons")},
        **window.values,
    }


def result_json(candidate: str, trial: str, measures: Measures, verdicts: Sequence[Verdict]) -> dict[str, Any]:
    """One run with its measures and marks."""
    return {
        "candidate": candidate,
        "trial": trial,
        "measures": measures_json(measures),
        "marks": [
            {
                "measure": verdict.mark.measure,
                "event": verdict.mark.event,
                "body": verdict.mark.body,
                "direction": verdict.mark.direction,
                "limit": verdict.mark.limit,
                "value": verdict.value,
                "met": verdict.met,
                **({"reason": verdict.reason} if verdict.reason else {}),
            }
            for verdict in verdicts
        ],
    }


def step_json(step: StepResponse) -> dict[str, Any]:
    """An open-loop step with its reading and where each body ends."""
    found = step.reading
    reading = None if found is None else {
        **asdict(found), "dead_time_over_lag": found.ratio, "difficulty": found.difficulty,
    }  # fmt: skip
    return {
        "from": step.start,
        "drive_before": step.before,
        "drive": step.after,
        "duration_s": float(step.run.time_s[-1]),
        "reading": reading,
        "bodies_start_degC": dict(zip(step.run.rig.body_names, step.run.bodies_degC[:, 0].tolist(), strict=True)),
        "bodies_end_degC": dict(zip(step.run.rig.body_names, step.run.bodies_degC[:, -1].tolist(), strict=True)),
    }


def plain_cell(text: str) -> str:
    """A text for a table: a spreadsheet takes what begins like a formula for one, and must not."""
    return f"'{text}" if text[:1] in ("=", "+", "-", "@", "\t", "\r") else text


def write_trace(run: Run, path: Path) -> None:
    """Write a run's trace as CSV, one row a reading: what acts and is felt, then what was asked, put out and read.

    Raises:
        FileError: it cannot be written.
    """
    bodies = [plain_cell(f"{body.name}_degC") for body in run.rig.all_bodies]
    more = {"asked": run.asked}
    for k, drive in enumerate(run.rig.drives):
        more |= {f"{drive.name}_put_out": run.put_out[k], f"{drive.name}_W": run.drives_W[k]}
    for k, probe in enumerate(run.rig.probes):
        more[f"{probe.name}_reads_degC"] = run.probes_degC[k]
        counts = counts_of(run, k)
        if counts is not None:
            more[f"{probe.name}_counts"] = counts
    head = ["time_s", "setpoint_degC", "measured_degC", "drive", "power_W", *bodies, "guard", *map(plain_cell, more)]
    response = run.rig.response
    if response is not None and response.unit is not None:
        unit = own_unit(response.unit)
        head = [own_key(name, unit) for name in head]
    columns = [run.time_s, run.setpoint_degC, run.measured_degC, run.drive, run.power_W, *run.bodies_degC]

    names = {code: plain_cell(ruler_name(run, code)) for code in set(run.guard_code.tolist())}

    def fill(temporary: Path) -> None:
        with temporary.open("w", newline="", encoding="utf-8") as stream:
            writer = csv.writer(stream, lineterminator="\n")
            writer.writerow(head)
            first, last = (zip(*(column.tolist() for column in each), strict=True) for each in (columns, more.values()))
            for row, code, rest in zip(first, run.guard_code.tolist(), last, strict=True):
                writer.writerow([*(f"{value:.9g}" for value in row), names[code], *(f"{value:.9g}" for value in rest)])

    write_whole(path, fill)
