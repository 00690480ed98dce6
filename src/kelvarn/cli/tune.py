"""The commands `tune` and `suggest`: rules for a rig or for a gain, a lag and a dead time; the simplest that does."""

from collections.abc import Sequence
from dataclasses import asdict
from pathlib import Path
from typing import Any

from kelvarn.engine.prepare import RunError
from kelvarn.files.project_file import load
from kelvarn.model.pid import Pid
from kelvarn.model.project import Project
from kelvarn.model.trial import Trial
from kelvarn.studies.margins import NEVER
from kelvarn.tune.process import FirstOrder, Integrating, Plant, PlantError, check
from kelvarn.tune.relay_test import relay_test
from kelvarn.tune.reserve import least_reserve
from kelvarn.tune.rules import Starting, starting_points
from kelvarn.tune.simplest import Best, Suggestion, conclusion, missed_text
from kelvarn.tune.starts import candidate_of, plant_of_project, step_of_project, ultimate_of_rig, usable
from kelvarn.tune.ultimate import Ultimate, ultimate
from kelvarn.units import Quantity, Scale, show
from kelvarn.words.laws import law_text
from kelvarn.words.reading import poor_fit_text


def plant_given(gain_K: float | None, lag_s: float | None, dead_time_s: float | None) -> Plant:
    """The plant of three figures. Raises PlantError where one is missing or not above 0."""
    if gain_K is None or lag_s is None or dead_time_s is None:
        raise PlantError("Give a project, or all of --gain (K at full drive), --lag and --delay (s).")
    made = FirstOrder(gain_K, lag_s, dead_time_s)
    check(made)
    return made


def plant_of_file(file: Path) -> tuple[Plant, Project]:
    """The plant that the open-loop step of a project's rig is read as, on its first trial, and the project.

    Raises:
        FileError, RunError, PlantError: there is no such step.
    """
    project = load(file)
    return plant_of_project(project, project.first_trial), project


def tune_json(plant: Plant, project: Project | None) -> dict[str, Any]:
    """All of it for programs; with the reserve that each rule leaves on a project's rig."""
    at = _ultimate(plant, project)
    relay = None if project is None else _relay(project, plant)
    return {
        "model": {"kind": "one_lag" if isinstance(plant, FirstOrder) else "integrating", **asdict(plant)},
        "ultimate": None if at is None else at._asdict(),
        "relay_test": None if relay is None else relay._asdict(),
        "rules": [_rule_json(each, project) for each in _rules(plant, at, project)],
    }


def _rules(plant: Plant, at: Ultimate | None, project: Project | None) -> list[Starting]:
    """What every rule gives; for a project's rig without what would oscillate on it."""
    found = starting_points(plant, at)
    if project is None:
        return found
    checked = (usable(each, project.rig, project.first_trial) for each in found)
    return [each for each in checked if isinstance(each, Starting)]


def _rule_json(each: Starting, project: Project | None) -> dict[str, Any]:
    gains = each.gains
    return {
        "rule": each.rule,
        "kind": each.terms,
        "kp_per_K": None if gains is None else gains.kp_per_K,
        "ti_s": None if gains is None else gains.ti_s,
        "td_s": None if gains is None else gains.td_s,
        "applicable": gains is not None,
        "reason": each.reason,
        "source": each.source,
        "reserve": None if project is None else _reserve_json(each, project),
    }


def _reserve_json(each: Starting, project: Project) -> dict[str, Any] | None:
    """The smallest reserve on the rig itself over the first trial; None where the rule or the loop gives none."""
    made = candidate_of(each, project.rig.way)
    if made is None or not isinstance(made.controller, Pid):
        return None
    try:
        found = least_reserve(project.rig, made.controller, (project.first_trial,)).reserve
    except PlantError:
        return None
    return {"gain_factor": found.gain_factor, "delay_s": found.delay_s, "phase_deg": found.phase_deg, "ms": found.ms}


def _relay(project: Project, plant: Plant) -> Ultimate | None:
    """What a relay test on the rig tells; None where it tells nothing."""
    try:
        return relay_test(project.rig, project.first_trial.plan.last_degC, plant).found
    except (PlantError, RunError):
        return None


def _ultimate(plant: Plant, project: Project | None) -> Ultimate | None:
    """That of the rig itself where there is one, else of its reading."""
    of_rig = None if project is None else ultimate_of_rig(project.rig, project.first_trial)
    return of_rig or ultimate(plant)


def tune_text(plant: Plant, project: Project | None) -> str:
    """All of it as lines."""
    scale = (project.scale if project is not None else None) or Scale.CELSIUS
    if isinstance(plant, Integrating):
        lines = [f"rises {show(plant.rise_K_per_s, Quantity.RAMP, scale)} at full drive"]
    else:
        lines = [f"gain {show(plant.gain_K, Quantity.DIFFERENCE, scale)} at full drive, "
                 f"lag {show(plant.lag_s, Quantity.DURATION)}"]  # fmt: skip
    lines[0] += f", dead time {show(plant.dead_time_s, Quantity.DURATION)}"
    if project is not None and (poor := poor_fit_text(step_of_project(project, project.first_trial), scale)):
        lines[0] += f"; {poor}"
    at = _ultimate(plant, project)
    if at is not None:
        gain, period = show(at.gain_per_K, Quantity.GAIN, scale), show(at.period_s, Quantity.DURATION)
        lines.append(f"oscillates at a gain of {gain}, period {period}")
    relay = None if project is None else _relay(project, plant)
    if relay is not None:
        gain, period = show(relay.gain_per_K, Quantity.GAIN, scale), show(relay.period_s, Quantity.DURATION)
        lines.append(f"a relay test tells a gain of {gain}, period {period}")
    for each in _rules(plant, at, project):
        if each.gains is None:
            lines.append(f"  {each.rule}, {each.terms}: not applicable: {each.reason}")
            continue
        parts: list[str] = [show(each.gains.kp_per_K, Quantity.GAIN, scale)]
        for name, value in (("Ti", each.gains.ti_s), ("Td", each.gains.td_s)):
            if value is not None:
                parts.append(f"{name} {show(value, Quantity.DURATION)}")
        lines.append(f"  {each.rule}, {each.terms}: {', '.join(parts)}")
    return "\n".join(lines)


def suggest_json(found: Suggestion, trials: Sequence[Trial]) -> dict[str, Any]:
    """The best of each strategy for the marks of trials, and the one proposed."""
    names = [trial.name for trial in trials]
    return {
        "trial": names[0] if len(names) == 1 else None,
        "trials": names,
        "proposed": None if found.proposed is None else found.proposed.strategy,
        "best": [_best_json(each) for each in found.best],
        "never_met": [mark.title for mark in found.never],
        "never_met_together": [[one.title, other.title] for one, other in found.contradict],
        "runs_computed": found.runs,
    }


def suggest_text(found: Suggestion, trials: Sequence[Trial], scale: Scale) -> str:
    """The same as lines."""
    of = f"“{trials[0].name}”" if len(trials) == 1 else "all trials"
    lines = [f"For the marks of {of}, by {found.runs} runs:"]
    lines += [f"{'★ ' if each is found.proposed else '  '}{_best_text(each, scale)}" for each in found.best]
    lines.append(conclusion(found, scale))
    return "\n".join(lines)


def _best_json(each: Best) -> dict[str, Any]:
    return {
        "strategy": each.strategy,
        "law": each.controller.model_dump(mode="json"),
        "marks_met": each.met,
        "marks_asked": each.asked,
        "missed_by": each.miss if each.miss < NEVER else None,
        "stands_a_tenth_off": each.stands,
        "room": each.room,
        "binds": None if each.binds is None else each.binds.mark.title,
        "gain_factor": each.gain_factor,
        "variants_share": each.share,
    }


def _best_text(each: Best, scale: Scale) -> str:
    law = each.controller
    binds = ""
    if each.binds is not None:
        most = "binds" if each.miss == 0 else f"{missed_text(each)}; misses most"
        binds = f"; {most}: {each.binds.mark.title}"
    spare = "" if each.gain_factor is None else f"; gain ×{each.gain_factor:.3g}"
    if each.share is not None and each.met == each.asked:
        spare += f"; {100 * each.share:.0f} % of variants"
    return f"{each.strategy}: {each.met} of {each.asked} marks met, {law_text(law, scale)}{binds}{spare}"
