"""The page for whoever uses the machine: one side of paper that stands beside it.

It says what to do and what not, in the order in which it is asked; nothing on it is known but by calculation until
somebody signs. What was not looked at is said to be open.
"""

import math
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from datetime import date
from itertools import pairwise

import numpy as np

from kelvarn import __version__
from kelvarn.model.events import DoorOpens
from kelvarn.model.guards import Alarm, CutOff, LinkLost, LongestOn, NoRise, ProbeFaultAction, Restart, Trip
from kelvarn.model.project import Project
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Trial
from kelvarn.model.trial_words import plan_text
from kelvarn.studies.cold_again import cold_again_s
from kelvarn.studies.failure_outcome import FailureOutcome
from kelvarn.studies.failure_words import passed_text, stopped_text
from kelvarn.studies.failures import FailureTable
from kelvarn.studies.reasons import held_degC, holding_drive
from kelvarn.studies.results import Result
from kelvarn.units import Quantity, Scale, from_shown, show, to_shown
from kelvarn.words.limitations import limitations

from .open_points import Open, open_points
from .pages import template
from .settings import fingerprint, kind_of_rule, working_setpoint

_MOST_FAILURES, _MOST_GAPS = 4, 3
_NINE_TENTHS, _THREE_QUARTERS = 0.9, 0.75  # of the rise: when it is looked at, and how much must be there
_LOOKED_AT_S = 300.0  # a whole number of which that is after the start
_FAR_K = 0.5
_WORTH_KG = 0.005  # of ice


@dataclass(frozen=True)
class Part:
    """A part of the page: its heading, and a paragraph for each line."""

    heading: str
    lines: tuple[str, ...]


def user_page_html(
    project: Project,
    candidate_name: str,
    results: Mapping[str, Result | str],
    failures: Mapping[str, FailureTable | str],
    scale: Scale,
    day: date,
) -> str:
    """The page.

    Args:
        project, candidate_name: what is handed over.
        results, failures: of the candidate, as for `open_points`.
        scale: how temperatures are shown.
        day: date on the page.
    """
    candidate = project.candidate(candidate_name)
    points = open_points(project, results, failures, scale)
    page: str = template("user_page.html.jinja").render(
        project=project,
        candidate=candidate,
        forbids=[point.text for point in points if point.forbids],
        parts=user_parts(project, results, failures, points, scale),
        day=day.isoformat(),
        fingerprint=fingerprint(project, candidate),
        version=__version__,
    )
    return page


def user_parts(
    project: Project,
    results: Mapping[str, Result | str],
    failures: Mapping[str, FailureTable | str],
    points: list[Open],
    scale: Scale,
) -> list[Part]:
    """The parts of the page in their order; those that have nothing to say are left out.

    Args:
        project: the project.
        results, failures: as for `open_points`.
        points: what is open.
        scale: how temperatures are shown.
    """
    known = {name: result for name, result in results.items() if isinstance(result, Result)}
    trial = project.first_trial
    main = known.get(trial.name)
    parts = {
        "What it is for": _purpose(project, trial, scale),
        "How to use it": _use(project, known, scale),
        "What the setpoint does": _setpoint(project, trial, scale),
        "Do not": _do_not(project, main, points, scale),
        "What is normal": () if main is None else _normal(project, trial, main, scale),
        "Stop and unplug": _stop(project.rig, main, scale),
        "If something fails": _fails(project, failures, scale),
        "What messages mean": _messages(project.rig, scale),
        "When the controller is dead": _by_hand(project, trial, scale),
        ("Cooling down" if project.rig.unit is None else "Coming to rest"): ()
        if main is None
        else _cooling(project.rig, main, scale),
        "Known only by calculation": ("; ".join(limitations(project.rig)) + ".",),
    }
    made = [Part(heading, tuple(lines)) for heading, lines in parts.items()]
    return [part for part in made if part.lines]


def _degrees(degC: float, scale: Scale) -> str:
    return show(degC, Quantity.TEMPERATURE, scale)


def _whole(degC: float, scale: Scale) -> str:
    """Rounded down to what a thermometer by the machine shows."""
    return _degrees(
        from_shown(math.floor(to_shown(degC, Quantity.TEMPERATURE, scale)), Quantity.TEMPERATURE, scale), scale
    )


def _span(seconds: float) -> str:
    return show(seconds, Quantity.DURATION)


def _purpose(project: Project, trial: Trial, scale: Scale) -> Iterator[str]:
    rig, goal = project.rig, project.rig.goal
    if goal is not None:
        yield f"{goal.text(scale)}."
    probed = rig.probe.body
    apart = f", not {rig.what_matters}" if rig.what_matters != probed else ""
    yield f"It measures {probed}{apart}; set to {_degrees(working_setpoint(project, trial), scale)}."


def _use(project: Project, known: dict[str, Result], scale: Scale) -> Iterator[str]:
    for trial in project.trials:
        result = known.get(trial.name)
        if result is None:
            continue
        name = "" if len(project.trials) == 1 else f"{trial.name}: "
        yield f"{name}{plan_text(trial, scale)}, {_span(trial.duration_s)}."
        if result.measures.ended is not None:
            guard, at_s = result.measures.ended
            yield f"It ends after {_span(at_s)}: {guard} switches off for good."
            continue
        yield from _comes(project.rig, trial, result, scale)
        yield from _inside(project.rig, result, scale)
        yield from _doors(trial, result, scale)


def _comes(rig: Rig, trial: Trial, result: Result, scale: Scale) -> Iterator[str]:
    """When it is where it should be."""
    first = result.measures.first
    band, target = show(trial.band_K, Quantity.DIFFERENCE, scale), _degrees(first.setpoint_degC, scale)
    settled = first.values.get("settling_s")
    if settled is not None:
        yield f"{rig.judged_body} is within {band} of {target} about {_span(settled)} after the start."
    else:
        reason = first.reasons.get("settling_s", "")
        yield f"{rig.judged_body} does not settle within {band} of {target}{f': {reason}' if reason else ''}."


def _inside(rig: Rig, result: Result, scale: Scale) -> Iterator[str]:
    """From when on what matters is inside its goal, and when it is not any more."""
    goal = rig.goal
    if goal is None:
        return
    run = result.run
    course = run.bodies_degC[rig.body_index(goal.body)]
    low, high = (x if x is not None else end for x, end in ((goal.low_degC, -np.inf), (goal.high_degC, np.inf)))
    inside = (course >= low) & (course <= high)
    if not inside.any():
        yield f"{goal.body} never comes inside the goal."
        return
    begin = int(np.argmax(inside))
    if begin:
        yield f"{goal.body} is inside the goal from {_span(float(run.time_s[begin]))} on: count its time from there."
    edges = [0, *(np.flatnonzero(np.diff(inside[begin:])) + 1).tolist(), inside.size - begin]
    gaps = [(a, b) for k, (a, b) in enumerate(pairwise(edges)) if k % 2]
    for a, b in gaps[:_MOST_GAPS]:
        from_s, to_s = float(run.time_s[begin + a]), float(run.time_s[min(begin + b, run.time_s.size - 1)])
        until = "to the end" if begin + b >= inside.size else f"to {_span(to_s)}, {_span(to_s - from_s)} lost"
        yield f"{goal.body} is outside it from {_span(from_s)} {until}."
    if len(gaps) > _MOST_GAPS:
        yield f"It is outside {len(gaps) - _MOST_GAPS} more times."


def _doors(trial: Trial, result: Result, scale: Scale) -> Iterator[str]:
    for event in trial.events:
        if not isinstance(event, DoorOpens):
            continue
        try:
            window = result.measures.event(event.name)
        except KeyError:
            continue
        sag, back = window.values.get("sag_K"), window.values.get("recovery_s")
        falls = "" if sag is None else f" {result.run.rig.judged_body} moves {show(sag, Quantity.DIFFERENCE, scale)},"
        again = "does not settle again" if back is None else f"settles again {_span(back)} after opening"
        lasts = "" if event.lasts_s is None else f" for {_span(event.lasts_s)}"
        yield f"“{event.name}”{lasts}:{falls} {again}."


def _setpoint(project: Project, trial: Trial, scale: Scale) -> Iterator[str]:
    rig, plan = project.rig, trial.plan
    ends = [None if x is None else _degrees(x, scale) for x in (plan.lowest_degC, plan.highest_degC)]
    if any(ends):
        low, high = (end or "no limit" for end in ends)
        yield f"It may be set from {low} to {high}."
    else:
        yield "No limits of the setpoint are set: it takes any."
    rest = held_degC(rig, working_setpoint(project, trial))
    if rest is None:
        return
    apart = float(rest[rig.body_index(rig.what_matters)] - rest[rig.body_index(rig.probe.body)])
    if abs(apart) >= _FAR_K:
        side, far = rig.words.warmer if apart > 0 else rig.words.colder, show(abs(apart), Quantity.DIFFERENCE, scale)
        yield f"It is of {rig.probe.body}; at rest {rig.what_matters} is {far} {side} than that."


def _do_not(project: Project, main: Result | None, points: list[Open], scale: Scale) -> Iterator[str]:
    rig = project.rig
    if any(point.forbids for point in points):
        yield "Leave it alone, or use it at all, before the box below is signed."
    else:
        yield "Leave it alone longer than its guards were seen to act."
    heated = sorted({drive.heated_body for drive in rig.drives if drive.heated_body and drive.acts == "heats"})
    if heated:
        yield f"Cover {' or '.join(heated)}."
    iced = [link.iced_body for link in rig.links if link.icing is not None]
    if iced:
        yield f"Set it lower “to cool faster”: {' and '.join(iced)} would ice sooner, and it would cool less."
        yield "Leave the door open, or put in what is warm, wet or not covered: all of that turns to ice."
        yield "Scrape ice off with anything sharp; let it melt."
    if main is not None and rig.heats:
        hottest = max(main.measures.hottest_degC[name] for name in (rig.what_matters, rig.probe.body))
        yield f"Put in anything that does not bear {_degrees(hottest, scale)}, or what is named below if it fails."


def _normal(project: Project, trial: Trial, main: Result, scale: Scale) -> Iterator[str]:
    rig = project.rig
    hottest = ", ".join(f"{name} {_degrees(degC, scale)}" for name, degC in main.measures.hottest_degC.items())
    yield f"{rig.words.highest.capitalize()}: {hottest}."
    drive = holding_drive(rig, working_setpoint(project, trial))
    if drive is not None:
        yield f"About {show(abs(drive), Quantity.DRIVE)} drive holds it."
    most, left = (main.measures.values.get(key) for key in ("most_ice_kg", "ice_left_kg"))
    if most is not None and left is not None and most > _WORTH_KG:
        yield f"Ice: up to {show(most, Quantity.MASS)}, {show(left, Quantity.MASS)} of it left at the end."
    energy = main.measures.values.get("energy_J")
    if energy is not None:
        yield f"{show(energy, Quantity.ENERGY)} in {_span(main.run.duration_s)}."


def _stop(rig: Rig, main: Result | None, scale: Scale) -> Iterator[str]:
    for body in rig.all_bodies:
        if body.limit_degC is None:
            continue
        hottest = None if main is None else main.measures.hottest_degC[body.name]
        # Half way from what is normal to the limit: there is still time.
        at = body.limit_degC if hottest is None or hottest >= body.limit_degC else (hottest + body.limit_degC) / 2
        yield f"{body.name} over {_whole(at, scale)}, smoke or smell (limit {_degrees(body.limit_degC, scale)})."
    if rig.goal is not None and rig.goal.high_degC is not None and rig.goal.body == rig.judged_body:
        yield f"{rig.goal.body} over {_degrees(rig.goal.high_degC, scale)}."
    late = None if main is None else _not_there(main)
    if late is not None and main is not None:
        at_s, least, calculated = late
        way = "over" if main.run.direction > 0 else "under"
        said = _degrees(calculated, scale)
        yield f"{rig.probe.name} not {way} {_whole(least, scale)} after {_span(at_s)} (calculated: {said})."


def _not_there(main: Result) -> tuple[float, float, float] | None:
    """When a start is looked at, s; what must be read by then, and what is calculated, degC. None without a rise."""
    run = main.run
    start, target = float(run.measured_degC[0]), float(run.setpoint_degC[0])
    rise = target - start
    if rise * run.direction <= 5.0:
        return None
    there = np.flatnonzero((run.measured_degC - start) * run.direction >= _NINE_TENTHS * abs(rise))
    if not there.size:
        return None
    at_s = float(np.ceil(run.time_s[there[0]] / _LOOKED_AT_S) * _LOOKED_AT_S)
    if at_s > run.duration_s:
        return None
    return at_s, start + _THREE_QUARTERS * rise, float(run.measured_degC[run.sample_at(at_s)])


def _fails(project: Project, failures: Mapping[str, FailureTable | str], scale: Scale) -> Iterator[str]:
    """What passes a limit, the worst first; and of each trial what was not tried, or what came of it."""
    tables = {name: table for name, table in failures.items() if isinstance(table, FailureTable)}
    rows = sorted(
        (row for table in tables.values() for row in table.rows), key=lambda row: row.worst.harm, reverse=True
    )
    worst: dict[str, FailureOutcome] = {}
    for row in rows:
        if row.worst.harmful:
            worst.setdefault(row.failure.text, row.worst)
    for text, outcome in list(worst.items())[:_MOST_FAILURES]:
        when = "" if outcome.passed is None else f" {passed_text(outcome)}"
        ends = f"{outcome.suffers} passes its limit{when} and gets to {_degrees(outcome.extreme_degC, scale)}"
        yield f"{text[:1].upper()}{text[1:]}: {outcome.fault or ends}; {stopped_text(outcome)}."
    if len(worst) > _MOST_FAILURES:
        yield f"{len(worst) - _MOST_FAILURES} more single failures pass a limit."
    for row in rows:
        event = row.failure.event
        if event is not None and event.kind == "power_cut" and row.worst.goal_lost_s is not None:
            yield f"Power lost: the goal is lost after {_span(row.worst.goal_lost_s)}; begin again from the start."
            break
    for trial in project.trials:
        table = tables.get(trial.name)
        if table is None:
            yield f"On “{trial.name}” it was not tried what happens."
        elif not table.passed:
            yield f"“{trial.name}”: {table.verdict(scale)}."


_FIRST: dict[type, str] = {
    Trip: "find out why, then press reset",
    CutOff: "switch off, let it come to rest, find out what went too far",
    ProbeFaultAction: "see to the probe, its seat and its plug",
    LinkLost: "see to the controller and its cable",
    NoRise: "see whether what is driven and the probe are where they belong, then press reset",
    LongestOn: "see why it is not there yet",
    Restart: "wait; begin again where the goal was lost",
    Alarm: "stay beside it until it clears",
}
"""What to do first when a guard has acted."""


def _messages(rig: Rig, scale: Scale) -> Iterator[str]:
    for guard in rig.guards:
        todo = _FIRST.get(type(guard), "look before it goes on")
        if isinstance(guard, Trip) and not guard.latches:
            todo = "find out why: it goes on by itself"
        yield f"{guard.name} ({kind_of_rule(guard, scale)}): {guard.text(scale)}. First: {todo}."
    for permit in rig.permits:
        yield f"{permit.name}: {permit.text(scale)}."


def _by_hand(project: Project, trial: Trial, scale: Scale) -> Iterator[str]:
    setpoint = working_setpoint(project, trial)
    drive = holding_drive(project.rig, setpoint)
    yield "Switch the machine off."
    if not project.rig.heats:
        yield f"By hand: full drive keeps it {project.rig.words.lowest}, whatever is in it."
    elif drive is None:
        yield "It is not known which drive would hold it by hand."
    else:
        outside = _degrees(project.rig.surroundings.temperature_degC, scale)
        yield (
            f"By hand, with somebody beside it: {show(abs(drive), Quantity.DRIVE)} on the average holds "
            f"{_degrees(setpoint, scale)} at {outside} outside ({10 * abs(drive):.2g} of every 10 min on)."
        )


def _cooling(rig: Rig, main: Result, scale: Scale) -> Iterator[str]:
    cold = cold_again_s(rig, main.measures.end_degC)
    if cold is not None and cold > 0:
        near, touch = show(1.0, Quantity.DIFFERENCE, scale), "" if rig.unit else "; touch nothing hot before"
        yield f"{_span(cold)} after the end everything is within {near} of its rest{touch}."
