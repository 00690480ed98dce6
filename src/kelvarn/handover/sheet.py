"""The sheet that goes with the machine: one HTML page, complete in itself, made to be printed."""

import base64
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date
from typing import Any

from kelvarn import __version__
from kelvarn.model.candidate import Candidate
from kelvarn.model.handed import CHECKS
from kelvarn.model.mark import MEASURES
from kelvarn.model.project import Project
from kelvarn.model.trial import Trial
from kelvarn.model.trial_words import plan_text
from kelvarn.model.wiring import BY_HAND
from kelvarn.studies.failure_words import cells, passed_text, stopped_text
from kelvarn.studies.failures import FailureTable
from kelvarn.studies.results import Result
from kelvarn.units import Quantity, Scale, show
from kelvarn.words.limitations import limitations

from .open_points import open_points
from .other_words import other_words
from .pages import template
from .settings import SheetRow, field_rows, fingerprint, kind_of_rule, settings_rows
from .wiring.circuit import circuit_of
from .wiring.drawing import drawing
from .wiring.parts_list import parts_list
from .wiring.terminals import terminals
from .wiring.warnings import warnings_of
from .worked_cases import worked_cases

_SHOWN = (
    "overshoot_K", "rise_s", "settling_s", "steady_error_K", "swing_K", "swing_period_s",
    "energy_J", "mean_drive", "time_at_limit_s", "switch_ons_per_h", "shortest_on_s", "shortest_off_s",
)  # fmt: skip


_WIDEST = 640.0


@dataclass(frozen=True)
class Judged:
    """A mark on the sheet."""

    what: str
    asked: str
    got: str
    met: bool


def sheet_html(
    project: Project,
    candidate_name: str,
    results: Mapping[str, Result | str],
    failures: Mapping[str, FailureTable | str],
    scale: Scale,
    day: date,
) -> str:
    """The sheet of a candidate.

    Args:
        project, candidate_name: what is handed over.
        results, failures: its result and its failure table on each trial, as for `open_points`.
        scale: how temperatures are shown.
        day: date on the sheet.
    """
    candidate = project.candidate(candidate_name)
    rig = project.rig
    usual = project.trial(next(iter(results))) if results else project.first_trial
    trials = []
    for name, result in results.items():
        if isinstance(result, str):
            continue
        main = result.measures.main
        values = {**main.values, **result.measures.values}
        reasons = {**main.reasons, **result.measures.reasons}
        trials.append(
            {
                "name": name,
                "plan": plan_rows(project.trial(name), scale),
                "notes": project.trial(name).notes,
                "setpoint": show(main.setpoint_degC, Quantity.TEMPERATURE, scale),
                "marks": [
                    Judged(
                        v.mark.spelled(project.trial(name).band_K, scale),
                        v.mark.limit_text(scale),
                        v.text(scale),
                        v.met,
                    )
                    for v in result.verdicts
                ],
                "measures": [
                    SheetRow(
                        MEASURES[key].title,
                        _measure_text(values[key], reasons.get(key), MEASURES[key].quantity, scale),
                    )
                    for key in _SHOWN
                ],
                "hottest": [
                    SheetRow(body, show(value, Quantity.TEMPERATURE, scale))
                    for body, value in result.measures.hottest_degC.items()
                ],
            }
        )
    page: str = template("sheet.html.jinja").render(
        project=project,
        candidate=candidate,
        settings=settings_rows(candidate, scale, cools=project.rig.way.cools),
        other_words=other_words(project, candidate, usual, scale),
        rig_rows=[*rig_rows(project, scale), *rule_rows(project, scale)],
        limitations=limitations(rig),
        open=open_points(project, results, failures, scale),
        failures=_failure_rows(failures, scale),
        cases=[SheetRow(case.what, case.must) for case in worked_cases(project, candidate, scale)],
        checks=CHECKS,
        wiring=wiring_of(project),
        first_hour=first_hour_rows(project, candidate),
        trials=trials,
        fingerprint=fingerprint(project, candidate),
        day=day.isoformat(),
        version=__version__,
    )
    return page


def wiring_of(project: Project) -> dict[str, Any]:
    """What the sheet says of the wiring: the drawing as base64, what is wrong, terminals, parts, what to try."""
    circuit = circuit_of(project)
    warned = warnings_of(circuit)
    svg = drawing(circuit, warned)
    width = float(svg.split('width="', 1)[1].split('"', 1)[0])
    return {
        "drawing": base64.b64encode(svg.encode()).decode(), "width": round(min(width, _WIDEST)), "warned": warned,
        "terminals": terminals(circuit), "parts": parts_list(circuit),
        "by_hand": [(key in project.wiring.seen_to, text) for key, text in BY_HAND.items()],
    }  # fmt: skip


def first_hour_rows(project: Project, candidate: Candidate) -> list[SheetRow]:
    """What was seen of the device beside it, in the state that it is in."""
    state = fingerprint(project, candidate)
    return [
        SheetRow(each.step, f"{each.found} ({each.at.replace('T', ' ')})")
        for each in project.first_hour
        if each.state == state and each.candidate == candidate.name
    ]


def plan_rows(trial: Trial, scale: Scale) -> list[SheetRow]:
    """The plan: setpoints, what the setpoint may be, and what happens meanwhile."""
    plan = trial.plan
    low, high = (
        "no limit is set" if x is None else show(x, Quantity.TEMPERATURE, scale)
        for x in (plan.lowest_degC, plan.highest_degC)
    )
    rows = [
        SheetRow("Plan", plan_text(trial, scale)),
        SheetRow("Setpoint, lowest", low),
        SheetRow("Setpoint, highest", high),
        SheetRow("Duration", show(trial.duration_s, Quantity.DURATION)),
        SheetRow("Settled within", f"±{show(trial.band_K, Quantity.DIFFERENCE, scale)}"),
    ]
    return rows + [
        SheetRow(f"At {show(event.at_s, Quantity.DURATION)}: {event.what}", event.text(scale)) for event in trial.events
    ]


def _failure_rows(failures: Mapping[str, FailureTable | str], scale: Scale) -> list[tuple[str, str, list[SheetRow]]]:
    """Of each trial the verdict, and what passes a limit with who stops it."""
    found: list[tuple[str, str, list[SheetRow]]] = []
    for name, table in failures.items():
        if isinstance(table, str):
            found.append((name, table, []))
            continue
        rows = [
            SheetRow(cells(row.worst, scale)[0], f"{row.worst.ends(scale)}, limit passed {passed_text(row.worst)}; "
                     f"{stopped_text(row.worst)}")
            for row in table.rows if row.worst.harmful
        ]  # fmt: skip
        found.append((name, table.verdict(scale), rows))
    return found


def _measure_text(value: float | None, reason: str | None, quantity: Quantity, scale: Scale) -> str:
    return f"– ({reason})" if value is None else show(value, quantity, scale)


def rule_rows(project: Project, scale: Scale) -> list[SheetRow]:
    """Guards, alarms and permits, each with what it does and every setting of it."""
    rows = []
    for rule in (*project.rig.guards, *project.rig.permits):
        rows.append(SheetRow(f"{kind_of_rule(rule, scale).capitalize()}: {rule.name}", rule.text(scale)))
        shown = rule.shown()
        rows += [row for row in field_rows(rule, scale) if row.field in shown]
    return rows


def rig_rows(project: Project, scale: Scale) -> list[SheetRow]:
    """The rig: drives, probes, how often it is read, surroundings, limits."""
    rig = project.rig
    rows: list[SheetRow] = []
    for drive in rig.drives:
        body = drive.heated_body
        acts = rig.words.heats if drive.acts == "heats" else rig.words.cools
        what = f"{drive.what}, {acts} {body}" if body else f"{drive.what}, more flow {acts}"
        rows.append(SheetRow(f"Drive {drive.name}", what))
        rows += field_rows(drive, scale, leave_out=("body", "acts", "active_low"))
        if drive.active_low:
            rows.append(SheetRow("Output pin", "the load is on while the pin is low"))
    for probe in rig.probes:
        rows.append(SheetRow(f"Probe {probe.name}", f"in {probe.body}, role {probe.role}"))
        rows += [
            SheetRow(row.what, row.value or "not stated", row.field)
            for row in field_rows(probe, scale, leave_out=("body", "role"))
        ]
        if probe.converter is not None:
            rows += field_rows(probe.converter, scale)
            unit = "V" if probe.converter.sensor == "volt_curve" else "Ω"
            rows += [
                SheetRow(f"at {show(point.degC, Quantity.TEMPERATURE, scale)}", f"{point.value:g} {unit}", "")
                for point in probe.converter.points
            ]
        if probe.correction is not None:
            c = probe.correction
            shown, true = (
                " and ".join(show(value, Quantity.TEMPERATURE, scale) for value in pair)
                for pair in ((c.shown_low_degC, c.shown_high_degC), (c.true_low_degC, c.true_high_degC))
            )
            rows.append(SheetRow("Two-point correction", f"where it shows {shown} it is {true}"))
    rows += [
        SheetRow("Read and decided every", show(rig.probe.interval_s, Quantity.DURATION)),
        SheetRow("Surroundings", show(rig.surroundings.temperature_degC, Quantity.TEMPERATURE, scale)),
    ]
    rows += [
        SheetRow(f"Limit of {body.name}", show(body.limit_degC, Quantity.TEMPERATURE, scale))
        for body in rig.all_bodies
        if body.limit_degC is not None
    ]
    return rows
