"""The report: goal, rig, candidate, marks, strips, failures, variants and remarks in one page with its pictures."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from typing import Any

from kelvarn import __version__
from kelvarn.engine.prepare import RunError
from kelvarn.engine.run import current_go_on
from kelvarn.model.handed import CHECKS
from kelvarn.model.project import Project
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Trial
from kelvarn.model.trial_words import plan_text
from kelvarn.studies.all_trials import Met, marks_met, results_of_all
from kelvarn.studies.cold_again import cold_again_s, ready_text
from kelvarn.studies.failure_words import action_line, cells, headings, moments_line
from kelvarn.studies.failures import FailureTable, failure_table
from kelvarn.studies.results import Result
from kelvarn.studies.variant_words import variant_lines
from kelvarn.studies.variants import Variants, vary
from kelvarn.tune.remark import Remark
from kelvarn.tune.remarks import remarks
from kelvarn.units import Quantity, Scale, show
from kelvarn.words.limitations import limitations

from .open_points import open_points
from .pages import template
from .report_parts import events_in_words, loop_rows, source_rows, verdict_lines
from .settings import SheetRow, fingerprint, settings_rows
from .sheet import Judged, rig_rows, rule_rows


def _variant_lines(found: Variants | str | None, scale: Scale) -> list[str]:
    if found is None:
        return []
    return [found] if isinstance(found, str) else list(variant_lines(found, scale))


@dataclass(frozen=True, eq=False)
class Findings:
    """All that a report tells, computed.

    Attributes:
        candidate: whose report it is.
        results: its result on each trial, or why there is none.
        table: the failure table on the first trial, or why there is none.
        variants: of the first trial; a sentence where there are none, None where the trial cannot be run.
        remarks: on the project.
        others: marks met, by candidate and trial.
    """

    candidate: str
    results: dict[str, Result | str]
    table: FailureTable | str
    variants: Variants | str | None
    remarks: tuple[Remark, ...]
    others: dict[tuple[str, str], Met | str]


def findings(project: Project, candidate: str, count: int = 500, scale: Scale = Scale.CELSIUS) -> Findings:
    """Compute what a report tells of a candidate, in a scale. Raises Stopped where the work is stopped."""
    controller = project.candidate(candidate).controller
    go_on = current_go_on() or (lambda _share: True)
    results = results_of_all(project.rig, controller, project.trials, lambda _: go_on(0.0))
    table: FailureTable | str
    try:
        table = failure_table(project.rig, controller, project.first_trial, go_on)
    except RunError as error:
        table = str(error)
    variants: Variants | str | None = None
    if isinstance(results[project.first_trial.name], Result):
        try:
            *_, variants = vary(project.rig, controller, project.first_trial, count, go_on=lambda: go_on(0.0))
        except ValueError as error:  # nothing can vary, or some variant cannot be computed
            variants = str(error)
    known = {candidate: first.measures} if isinstance(first := results[project.first_trial.name], Result) else None
    told = tuple(
        remark
        for remark in remarks(project, project.first_trial, known, scale)
        if remark.candidate in (None, candidate)
    )
    others = marks_met(project, lambda: go_on(0.0))
    return Findings(candidate, results, table, variants, told, others)


def report_html(project: Project, found: Findings, pictures: dict[str, str], scale: Scale, day: date) -> str:
    """The report.

    Args:
        project, found: what it tells.
        pictures: of each trial by name, as data addresses.
        scale: how temperatures are shown.
        day: date on the report.
    """
    candidate, rig = project.candidate(found.candidate), project.rig
    table = found.table
    rules = rule_rows(project, scale)
    page: str = template("report.html.jinja").render(
        project=project,
        candidate=candidate,
        day=day.isoformat(),
        fingerprint=fingerprint(project, candidate),
        version=__version__,
        goal=None if rig.goal is None else rig.goal.text(scale),
        source="" if rig.goal is None else rig.goal.source,
        verdict=verdict_lines(found.results, found.variants, table, scale),
        open=open_points(project, found.results, {project.first_trial.name: table}, scale),
        loop=list(loop_rows(project, candidate, found.others)),
        sources=list(source_rows(project)),
        checks=CHECKS,
        settings=_said(settings_rows(candidate, scale, cools=project.rig.way.cools)),
        rig_rows=_said(rig_rows(project, scale)),
        rules=rules or [SheetRow("Guards", "none")],
        limitations=limitations(rig),
        trials=[_trial(project, trial, found, pictures, scale) for trial in project.trials],
        headings=headings(scale),
        failures=[] if isinstance(table, str) else [
            {"cells": cells(row.worst, scale), "passed": row.worst.harmful} for row in table.rows
        ],
        action="" if isinstance(table, str) else action_line(table, scale),
        moments="" if isinstance(table, str) else moments_line(table),
        variants=_variant_lines(found.variants, scale),
        remarks=[remark.text for remark in found.remarks],
    )  # fmt: skip
    return page


def _ready(rig: Rig, result: Result | str, scale: Scale) -> str:
    """When a run is ready, and when a cold one can follow."""
    if isinstance(result, str):
        return ""
    ready = result.measures.values.get("ready_s")
    cold = cold_again_s(rig, result.measures.end_degC)
    said = [ready_text(ready) or "not ready at the end"]
    if cold is not None:
        near = show(1.0, Quantity.DIFFERENCE, scale)
        said.append(
            f"{scale.words.cold} again (within {near}, drives off) {show(cold, Quantity.DURATION)} after the end"
        )
    return "; ".join(said)


def _said(rows: Sequence[SheetRow]) -> list[SheetRow]:
    """Rows without those that say nothing."""
    return [row for row in rows if row.value not in ("none", "")]


def _shares(project: Project, trial: Trial, found: Findings) -> list[str]:
    """Of each mark, which share of the rigs that differ meets it; empty where that was not tried."""
    variants = found.variants
    if trial.name != project.first_trial.name or not isinstance(variants, Variants):
        return [""] * len(trial.marks)
    return [f"{100 * share:.0f} %" for share in variants.shares]


def _trial(project: Project, trial: Trial, found: Findings, pictures: dict[str, str], scale: Scale) -> dict[str, Any]:
    """What is told of one trial."""
    marks: Sequence[Judged] = ()
    result, rig = found.results[trial.name], project.rig
    if isinstance(result, Result):
        marks = [
            Judged(
                verdict.mark.spelled(trial.band_K, scale), verdict.mark.limit_text(scale),
                verdict.text(scale),
                verdict.met,
            )
            for verdict in result.verdicts
        ]  # fmt: skip
    return {
        "name": trial.name,
        "plan": f"{show(trial.duration_s, Quantity.DURATION)}: {plan_text(trial, scale)}",
        "notes": trial.notes,
        "ready": _ready(rig, result, scale),
        "fault": result if isinstance(result, str) else "",
        "picture": pictures.get(trial.name, ""),
        "marks": marks,
        "shares": _shares(project, trial, found),
        "events": events_in_words(trial, scale),
    }
