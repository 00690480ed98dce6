"""Parts of the report that stand on what was found: its verdict, its loop, where its figures come from."""

from collections.abc import Iterator, Mapping

from kelvarn.engine.prepare import RunError
from kelvarn.model.candidate import Candidate
from kelvarn.model.pid import Pid
from kelvarn.model.project import Project
from kelvarn.model.trial import Trial
from kelvarn.studies.all_trials import Met
from kelvarn.studies.failures import FailureTable
from kelvarn.studies.results import Result
from kelvarn.studies.variants import Variants
from kelvarn.tune.process import PlantError
from kelvarn.tune.reserve import least_reserve, ultimate_of
from kelvarn.units import Quantity, Scale, counted, show

from .settings import SheetRow, working_setpoint

Outcome = Result | str


def verdict_lines(
    results: Mapping[str, Outcome], variants: Variants | str | None, table: FailureTable | str, scale: Scale
) -> list[str]:
    """Whether it does the job, how many rigs do, what happens if one thing fails; true of what was tried."""
    judged = [
        (name, verdict) for name, each in results.items() if isinstance(each, Result) for verdict in each.verdicts
    ]
    missed = [f"{verdict.mark.title} on “{name}”" for name, verdict in judged if not verdict.met]
    broken = [name for name, each in results.items() if isinstance(each, str)]
    trials = counted(len(results), "trial")
    if not judged:
        first = f"No marks are set on {trials}: whether it does the job was not judged"
    else:
        first = f"{len(judged) - len(missed)} of {len(judged)} marks on {trials} met"
        first += f"; missed: {', '.join(missed)}" if missed else ""
    if broken:
        first += f"; not run: {', '.join(broken)}"
    second = "Rigs that differ: not tried"
    if isinstance(variants, Variants) and variants.marks:
        second = f"{100 * variants.share_of_all:.3g} % of {variants.count} rigs that differ meet all marks of one trial"
    elif isinstance(variants, str):
        second = f"Rigs that differ: {variants}"
    third = table if isinstance(table, str) else table.verdict(scale)
    return [f"{first}.", f"{second.rstrip('.')}.", f"If one thing fails: {third.rstrip('.')}."]


def events_in_words(trial: Trial, scale: Scale) -> list[str]:
    """The events of a trial, in order, as they are numbered."""
    ordered = sorted(trial.events, key=lambda event: event.at_s)
    return [
        f"{number}, at {show(event.at_s, Quantity.DURATION)}: {event.text(scale)}"
        for number, event in enumerate(ordered, 1)
    ]


def loop_rows(
    project: Project, candidate: Candidate, others: Mapping[tuple[str, str], Met | str]
) -> Iterator[SheetRow]:
    """How far the loop is from ringing, how it samples, and how the others did."""
    law, rig = candidate.controller, project.rig
    if isinstance(law, Pid):
        try:
            found = least_reserve(rig, law, project.trials)
        except (PlantError, RunError, ValueError) as error:
            yield SheetRow("Reserve of the loop", f"not known: {error}")
        else:
            reserve = found.reserve
            parts = [
                ("gain ×{:.3g}", reserve.gain_factor), ("delay {:.3g} s", reserve.delay_s),
                ("phase {:.3g}°", reserve.phase_deg), ("Ms {:.3g}", reserve.ms),
            ]  # fmt: skip
            said = ", ".join(text.format(value) for text, value in parts if value is not None)
            yield SheetRow("Reserve of the loop, least of all setpoints", said or "no gain makes it ring")
            ultimate = ultimate_of(rig, working_setpoint(project, project.first_trial))
            if ultimate is not None:
                at = f"{100 * ultimate.gain_per_K:.4g} % per {rig.unit or 'K'}, every {ultimate.period_s:.4g} s"
                yield SheetRow("It rings at", at)
    yield SheetRow("Sampled every", show(rig.probe.interval_s, Quantity.DURATION))
    for each in project.candidates:
        if each.name != candidate.name:
            of = [met for (name, _), met in others.items() if name == each.name]
            met, asked = (sum(getattr(one, key) for one in of if isinstance(one, Met)) for key in ("met", "asked"))
            broken = sum(isinstance(one, str) for one in of)
            said = f"{met} of {asked} marks met" + (f", {counted(broken, 'trial')} not run" if broken else "")
            yield SheetRow(f"{each.name} ({each.strategy})", said)


def source_rows(project: Project) -> Iterator[SheetRow]:
    """Where the rig's figures come from: fitted, worked out, or entered without saying where from."""
    for fit in project.fits:
        of = f"fitted to {', '.join(fit.logs)}" if fit.logs else "fitted"
        yield SheetRow(fit.name, f"{of}, misses by {fit.rms_K:.2g} K rms")
    checked = [log.name for log in project.logs if log.use == "check"]
    yield SheetRow("Logs that it was checked on", ", ".join(checked) or "none")
    worked = [body.name for body in project.rig.bodies if body.made_of]
    if worked:
        yield SheetRow("Heat capacity worked out from parts", ", ".join(worked))
    entered = [body.name for body in project.rig.bodies if not body.made_of]
    if entered and not project.fits:
        yield SheetRow("Heat capacity entered, nothing says where from", ", ".join(entered))
