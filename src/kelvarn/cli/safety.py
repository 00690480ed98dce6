"""The commands `failures`, `vary` and `report`; what they need is imported when they run."""

import sys
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from kelvarn.files.faults import printable
from kelvarn.files.project_file import load
from kelvarn.model.candidate import Candidate
from kelvarn.model.names import check_known
from kelvarn.model.project import Project
from kelvarn.model.trial import Trial
from kelvarn.units import Scale

from .common import (
    CandidateName,
    Chosen,
    CommandError,
    File,
    Json,
    TrialName,
    candidate_named,
    check_free,
    print_json,
    progress,
    trial_named,
)

if TYPE_CHECKING:
    from kelvarn.studies.failure_outcome import FailureOutcome
    from kelvarn.studies.failures import FailureTable
    from kelvarn.studies.variants import Variants

app = typer.Typer()


@app.command()
def failures(
    file: File,
    candidate: CandidateName = None,
    chosen: Chosen = False,
    trial: TrialName = None,
    as_json: Json = False,
) -> None:
    """Try every single failure: where it ends, when a limit is passed, and who stops it."""
    from kelvarn.studies.failures import failure_table

    project = load(file)
    law, asked = candidate_named(project, candidate, chosen), trial_named(project, trial)
    with progress("trying failures") as tell:
        table = failure_table(project.rig, law.controller, asked, tell)
    if as_json:
        print_json("failures", _failures_json(law, asked, table), project)
    else:
        print(failures_text(project, table))


def failures_text(project: Project, table: "FailureTable") -> str:
    """A failure table as lines."""
    from kelvarn.studies import failure_words as words

    scale = project.scale or Scale.CELSIUS
    rows = [words.headings(scale), *(words.cells(row.worst, scale) for row in table.rows)]
    widths = [max(len(row[column]) for row in rows) for column in range(len(rows[0]))]
    lines = ["  ".join(cell.ljust(width) for cell, width in zip(row, widths, strict=True)).rstrip() for row in rows]
    return "\n".join([f"{table.verdict(scale)}.", *lines, words.action_line(table, scale), words.moments_line(table)])


def _failures_json(candidate: Candidate, trial: Trial, table: "FailureTable") -> dict[str, Any]:
    from kelvarn.studies import failure_words as words

    def told(outcome: "FailureOutcome") -> dict[str, Any]:
        return {
            "moment": outcome.moment,
            "at_s": outcome.at_s,
            "fault": outcome.fault or None,
            "body": outcome.suffers or None,
            "extreme_degC": outcome.extreme_degC,
            "end_degC": outcome.end_degC,
            "rests": outcome.rests,
            "followed_s": outcome.followed_s,
            "tends_degC": outcome.tends_degC,
            "limit_passed_later": outcome.heads_past,
            "margin_K": outcome.margin_K,
            "limit_passed": None if outcome.passed is None else outcome.passed[0],
            "limit_passed_s": None if outcome.passed is None else outcome.passed[1],
            "goal_lost_s": outcome.goal_lost_s,
            "goal_kept_at_end": outcome.goal_at_end,
            "guard": outcome.guard or None,
            "guard_s": outcome.guard_s,
            "acts_but_stops_nothing": outcome.helpless or None,
        }

    return {
        "candidate": candidate.name,
        "trial": trial.name,
        "verdict": table.verdict(),
        "bodies_with_limits": list(table.limited),
        "moments": table.moments,
        "failures": [
            {
                "failure": row.failure.text,
                "worst": told(row.worst),
                "outcomes": [told(each) for each in row.outcomes],
            }
            for row in table.rows
        ],
        "probe_fault": {
            "proposed": table.actions[0].action,
            "why": words.action_line(table),
            "actions": [
                {"action": each.action, "off_goal_K": each.off_goal_K, **told(each.worst)} for each in table.actions
            ],
        },
    }


@app.command()
def vary(
    file: File,
    candidate: CandidateName = None,
    chosen: Chosen = False,
    trial: TrialName = None,
    count: Annotated[int, typer.Option(min=2, max=20_000, help="How many variants.")] = 500,
    seed: Annotated[int, typer.Option(min=0, max=2**31, help="Which variants.")] = 1,
    as_json: Json = False,
) -> None:
    """Run a candidate on many rigs that differ within their tolerances."""
    from kelvarn.studies.variant_words import variant_lines
    from kelvarn.studies.variants import vary as variants_of

    project = load(file)
    law, asked = candidate_named(project, candidate, chosen), trial_named(project, trial)
    found = None
    try:
        with progress("running variants") as tell:
            for found in variants_of(project.rig, law.controller, asked, count, seed):
                tell(found.count / count)
    except ValueError as error:
        raise CommandError(str(error)) from error
    assert found is not None
    if as_json:
        print_json("vary", _vary_json(law, asked, found), project)
    else:
        print("\n".join(variant_lines(found, project.scale or Scale.CELSIUS)))


def _vary_json(candidate: Candidate, trial: Trial, found: "Variants") -> dict[str, Any]:
    def numbers(row: Any) -> list[float]:
        return [round(float(value), 4) for value in row]

    return {
        "candidate": candidate.name,
        "trial": trial.name,
        "count": found.count,
        "failed": found.failed,
        "share_all": found.share_of_all,
        "share_all_95": list(found.sure(found.share_of_all)),
        "marks": [
            {"measure": mark.measure, "event": mark.event, "body": mark.body, "limit": mark.limit,
             "direction": mark.direction, "share": share, "share_95": list(found.sure(share)), "met_by_rig": met}
            for mark, share, met in zip(found.marks, found.shares, found.nominal_met, strict=True)
        ],
        "matters": [
            {"parameter": "/".join(map(str, each.parameter.path)), "text": each.parameter.text,
             "measure": each.mark.measure, "of": each.mark.event or each.mark.body or each.mark.stage,
             "rank_correlation": each.correlation, "index": each.index, "worse": each.worse}
            for each in found.influences
        ],
        "envelope": {"time_s": numbers(found.time_s), "p5_degC": numbers(found.low_degC),
                     "p50_degC": numbers(found.middle_degC), "p95_degC": numbers(found.high_degC)},
        "worst_variant": None if found.worst is None else {
            "number": found.worst + 1,
            "parameters": {"/".join(map(str, p.path)): p.moved(float(place))
                       for p, place in zip(found.parameters, found.places[found.worst], strict=True)},
        },
    }  # fmt: skip


@app.command()
def report(
    file: File,
    out: Annotated[Path, typer.Option(help="Where it goes: a name that ends in .html or .pdf.")],
    candidate: Annotated[str | None, typer.Option(help="The candidate; else the chosen one.")] = None,
) -> None:
    """Write the report: goal, rig, candidate, marks, strips, failures, variants, remarks."""
    project = load(file)
    name = candidate or project.chosen or project.candidates[0].name
    check_known((name,), [c.name for c in project.candidates], "candidate")
    check_free(out, (".html", ".pdf"))
    from kelvarn.desktop.stations.report import write_report
    from kelvarn.handover.report import findings

    with progress("gathering what the report says"):
        found = findings(project, name)
    write_report(project, found, project.scale or Scale.CELSIUS, out)
    print(f"Written to {printable(out)}.", file=sys.stderr)
