"""The files of the line protocol: what a program says and hears on its line, in C and in Python."""

from typing import Any

from kelvarn.engine.inputs import Said
from kelvarn.engine.plant import Drive
from kelvarn.model.guards import Hours

from .board_files import heats, plain, render
from .carry import Carried
from .points import Point, Points, points_of
from .translate.c_names import identifier

_LONGEST_NAME, _LONGEST_ABOUT = 24, 72
_VALUES = {
    "setpoint": "now->setpoint_degC", "nudge": "orders.nudge.left_ms > 0 ? orders.nudge.value : REAL(0.0)",
    "asked": "now->asked * REAL(100.0)", "given": "now->given * REAL(100.0)", "law": "(real)now->law_code",
    "guard": "(real)now->guard_code", "alarm": "(real)now->alarm_code", "tripped": "(real)now->tripped",
    "ready": "now->ready ? REAL(1.0) : REAL(0.0)", "stopped": "now->stopped ? REAL(1.0) : REAL(0.0)",
    "mode": "(real)orders.mode", "lease": "(real)(orders.drive.left_ms / 1000)", "heat": "orders.heat_s",
    "late": "(real)points_sampled.late", "edits": "(real)orders.edits",
    "limits": "orders.nearer.left_ms > 0 ? orders.nearer.value : REAL(0.0)",
}  # fmt: skip
"""Of each point that every program has, what it is in C."""
_INPUTS = ("reset", "override_alone", "nudge_K", "nearer_K", "order_age_ms")


def line_files(carried: Carried, board: str) -> dict[str, str]:
    """Files of the line protocol of a program in C, by name."""
    rig, points = carried.project.rig, points_of(carried)
    readings = "inputs.readings[{}]" if len(rig.probes) > 1 else "inputs.readings"
    of = {
        **_of(carried, points), "board": board, "readings": [readings.format(k) for k in range(len(rig.probes))],
        "lowest": "REAL(-100.0)" if rig.heats and rig.cools else "REAL(0.0)", "values": _VALUES,
        "about": _about(carried, board),
        "needs_no_sample": [point.name for point in points.plain].index("mode"),
    }  # fmt: skip
    made = {name: render(f"{name}.jinja", **of) for name in ("points.h", "points.c", "orders.c", "line.c", "bus.c")}
    return {
        **made,
        **{name: plain(name) for name in ("text.h", "text.c", "events.h", "events.c", "orders.h", "line.h", "bus.h")},
    }


def _about(carried: Carried, board: str) -> str:
    """What registers tell of a program in words: of what state it is, its name, its rig, its board."""
    words = carried.fingerprint, _short(carried.candidate.name), _short(carried.project.name), board
    return " ".join(words)[:_LONGEST_ABOUT]


def python_line_file(carried: Carried, board: str) -> str:
    """`line.py` of a program."""
    rig, points = carried.project.rig, points_of(carried)
    of = _of(carried, points)
    return render(
        "line.py.jinja", **of, board=board, heating=[each["heats"] for each in of["outputs"]],
        lowest_py=-100 if rig.heats and rig.cools else 0,
    )  # fmt: skip


def _of(carried: Carried, points: Points) -> dict[str, Any]:
    """What both languages need."""
    rig = carried.project.rig
    drives = carried.known.rows[Drive]
    first = len(points.plain) + len(points.probes) + len(points.outputs)
    return {
        "plain": points.plain, "probes": points.probes, "settings": points.settings, "resets": points.resets,
        "outputs": [{"name": point.name, "heats": heats(drive)}
                    for point, drive in zip(points.outputs, drives, strict=True)],
        "points": [_point(point, place - first if place >= first else None)
                   for place, point in enumerate(points.all())],
        "has": {name: carried.has_input(Said, name) for name in _INPUTS},
        "clock": any(isinstance(permit, Hours) for permit in rig.permits) or bool(carried.trial.plan.week),
        "heats": rig.heats, "both": rig.heats and rig.cools, "control_probe": rig.control_index,
        "program": _short(carried.candidate.name), "rig": _short(carried.project.name),
        "interval_ms": round(rig.probe.interval_s * 1000), "state": carried.fingerprint,
    }  # fmt: skip


def _point(point: Point, setting: int | None) -> dict[str, Any]:
    """A point as templates have it; its line is told around who has changed it."""
    head, _, stored = point.line().rpartition(" ")
    return {"name": point.name, "unit": point.unit, "decimals": point.decimals, "head": head,
            "tail": f" {stored}", "setting": setting}  # fmt: skip


def _short(name: str) -> str:
    return identifier(name, set()).lower()[:_LONGEST_NAME]
