"""Lanes of temperatures: what is controlled, the bodies of a run, what the probes read."""

from collections.abc import Callable
from functools import partial

import numpy as np

from kelvarn.desktop.language import tell
from kelvarn.desktop.strip.lane import Band, Handle, Lane, LaneTrace, Level, ValueAxis
from kelvarn.engine.plan import corners, ramp_end_s
from kelvarn.engine.pulses import counts_of
from kelvarn.engine.run import Run
from kelvarn.model.bodies import Body
from kelvarn.model.rig import Rig
from kelvarn.sentence import joined, say
from kelvarn.units import Quantity, Scale, show

from .edits import value_only
from .safety import safety_levels
from .sayings import sayings
from .scene import CandidateEntry, Scene, quantity_name

_T = Quantity.TEMPERATURE
_WEIGHT, _SECOND_WEIGHT = 5.0, 2.5


def controlled_lane(scene: Scene) -> Lane:
    """One curve for each candidate, the selected one strong and on top, with setpoint, band and what is said."""
    computed = [e for e in sorted(scene.shown, key=lambda e: e is scene.selected) if e.result is not None]
    traces = tuple(_controlled(entry, strong=entry is scene.selected) for entry in computed)
    band = setpoint_band(scene, next((t for t in traces if t.strong), None))
    levels: tuple[Level, ...] = ()
    if scene.selected is not None and scene.selected.result is not None:
        run = scene.selected.result.run
        body = run.rig.all_bodies[run.rig.body_index(run.rig.judged_body)]
        levels = limit_levels(body, float(run.judged_degC.max()), scene.scale)
    edges, edge_levels = _edges(scene)
    guard_levels, guard_handles = safety_levels(scene) if scene.safety else ([], [])
    return Lane(
        key="temperature",
        title=quantity_name(scene.project.rig, scene.scale, say("Temperature")),
        axis=scene.axis,
        weight=_WEIGHT,
        traces=(*_kept(scene), *_goal_trace(scene), *_laid_over(scene), *traces, *_read_only(scene)),
        bands=(band,),
        ribbons=(scene.ribbon,) if scene.ribbon is not None else (),
        levels=(*levels, *goal_levels(scene.project.rig, scene.scale), *edge_levels, *guard_levels),
        labels=sayings(scene),
        handles=(*edges, *_plan_handles(scene), *guard_handles),
        also=tuple(change.to_degC for change in scene.trial.plan.changes),
    )


def _controlled(entry: CandidateEntry, *, strong: bool) -> LaneTrace:
    assert entry.result is not None
    run = entry.result.run
    name = f"{entry.candidate.name} ★" if entry.chosen else entry.candidate.name
    return LaneTrace(name, run.time_s, run.judged_degC, entry.index, strong=strong, faded=entry.stale)


def _goal_trace(scene: Scene) -> tuple[LaneTrace, ...]:
    """What the goal is about, where that is another body than the one that is judged."""
    goal = scene.project.rig.goal
    if goal is None or scene.result is None or goal.body == scene.project.rig.judged_body:
        return ()
    run = scene.result.run
    if goal.body not in run.rig.body_names:  # the run is of an earlier state
        return ()
    return (LaneTrace(goal.body, run.time_s, run.bodies_degC[run.rig.body_index(goal.body)], faded=True, named=True),)


def _kept(scene: Scene) -> tuple[LaneTrace, ...]:
    """Kept runs, under all others; with the setpoint that they followed, where it is another one."""
    found = []
    for place, kept in enumerate(scene.project.kept):
        if not kept.shown or scene.laid_over:
            continue
        time_s, index = (
            kept.every_s * np.arange(len(kept.degC), dtype=np.float64),
            len(scene.project.candidates) + place,
        )
        if kept.trial.plan != scene.trial.plan:
            found.append(
                LaneTrace(tell("{kept}: setpoint", kept=kept.name), time_s, np.array(kept.setpoint_degC), faded=True)
            )
        found.append(
            LaneTrace(tell("{kept} (kept)", kept=kept.name), time_s, np.array(kept.degC), index, faded=True, named=True)
        )
    return tuple(found)


def _laid_over(scene: Scene) -> tuple[LaneTrace, ...]:
    """Runs beside the candidates', each with its name at its curve."""
    return tuple(
        LaneTrace(each.name, each.run.time_s, each.run.judged_degC, each.index, named=True) for each in scene.laid_over
    )


def _read_only(scene: Scene) -> tuple[LaneTrace, ...]:
    """Setpoint and reading of the selected candidate's run: read at the cursor, not drawn."""
    if scene.result is None:
        return ()
    run = scene.result.run
    return (
        LaneTrace(tell("setpoint"), run.time_s, run.setpoint_degC, drawn=False),
        LaneTrace(tell("probe reads"), run.time_s, run.measured_degC, drawn=False),
    )


def setpoint_band(scene: Scene, shaded: LaneTrace | None) -> Band:
    """The plan with its band: corners in s and degC, doubled at steps, so that it rises straight up."""
    run = next((entry.result.run for entry in scene.shown if entry.result is not None), None)
    run = scene.result.run if scene.result is not None else run
    if run is not None and any(change.waits for change in scene.trial.plan.changes):
        return _as_it_went(scene, run, shaded)
    begins = float(run.measured_degC[0]) if run is not None else scene.trial.plan.changes[0].to_degC
    at_s, degC = corners(scene.trial.course, begins)
    end = scene.trial.duration_s
    # What is interpolated needs instants that rise; a step takes a moment that nobody sees.
    at_s = at_s + np.arange(at_s.size) * 1e-9 * end
    at_s, degC = np.append(at_s, max(end, float(at_s[-1]) + 1e-9)), np.append(degC, degC[-1])
    return Band(at_s, degC, scene.trial.band_K, shaded)


def _as_it_went(scene: Scene, run: Run, shaded: LaneTrace | None) -> Band:
    """The setpoint of a plan that waits, as it was in a run: the samples at which it bends."""
    setpoint = run.setpoint_degC
    bends = np.abs(np.diff(setpoint, 2, prepend=setpoint[:1], append=setpoint[-1:])) > 1e-9
    kept = np.unique(np.clip(np.concatenate([np.flatnonzero(bends) + k for k in (-1, 0)]), 0, setpoint.size - 1))
    kept = np.unique(np.concatenate([[0], kept, [setpoint.size - 1]]))
    return Band(run.time_s[kept], setpoint[kept], scene.trial.band_K, shaded)


def limit_levels(body: Body, hottest_degC: float, scale: Scale) -> tuple[Level, ...]:
    """The hard limit of a body, and how much is left to it or how far it is passed."""
    if body.limit_degC is None:
        return ()
    margin = body.limit_degC - hottest_degC
    away = say("{margin} below its limit" if margin >= 0 else "{margin} beyond its limit",
               margin=show(abs(margin), Quantity.DIFFERENCE, scale))  # fmt: skip
    text = tell(joined(": ", (away, say(body.limit_why)))) if body.limit_why else tell(away)
    return (Level(body.limit_degC, ground="hatched", text=text, text_color="muted" if margin >= 0 else "ember"),)


def goal_levels(rig: Rig, scale: Scale) -> tuple[Level, ...]:
    """What the rig's goal forbids, as ground."""
    goal = rig.goal
    if goal is None:
        return ()
    why = say(goal.why)
    found = []
    if goal.high_degC is not None:
        kept = say("{body} at most {high}", body=goal.body, high=show(goal.high_degC, _T, scale))
        text = tell("{kept}, or {why}", kept=kept, why=why) if why else tell(kept)
        found.append(Level(goal.high_degC, "gold", ground="tinted", text=text))
    if goal.low_degC is not None:
        kept = say("{body} at least {low}", body=goal.body, low=show(goal.low_degC, _T, scale))
        text = tell("{kept}, or {why}", kept=kept, why=why) if why and not found else tell(kept)
        found.append(Level(goal.low_degC, "gold", ground="tinted", below=True, text=text))
    return tuple(found)


def _edges(scene: Scene) -> tuple[list[Handle], list[Level]]:
    """The temperatures at which the selected law does something at once."""
    if scene.selected is None:
        return [], []
    way = scene.project.rig.way
    setpoint, place = scene.trial.plan.last_degC, scene.selected.index
    handles, levels = [], []
    for edge in scene.selected.candidate.controller.edges(setpoint, way):
        levels.append(Level(edge.degC, index=place))
        if scene.drags is not None:
            put = partial(scene.drags.edge, edge, place, setpoint)
            handles.append(
                Handle(
                    tell("the edge at which it {does}", does=edge.does), "grip", "value",
                    partial(value_only, put), value=edge.degC, text=tell(show(edge.degC, _T, scene.scale)),
                    up=edge.up, index=place, step=0.05,
                )
            )  # fmt: skip
    return handles, levels


def _plan_handles(scene: Scene) -> list[Handle]:
    """The flag of the last setpoint, a corner for each later change, and the line of each."""
    drags, changes = scene.drags, scene.trial.plan.changes
    last = len(changes) - 1
    text = tell(show(changes[last].to_degC, _T, scene.scale))
    if drags is None:
        return [Handle(tell("the setpoint"), "flag", "value", lambda *_: "", value=changes[last].to_degC, text=text)]
    found = [
        Handle(
            tell("the setpoint"), "flag", "value", partial(value_only, partial(drags.setpoint, last)),
            value=changes[last].to_degC, text=text,
        )
    ]  # fmt: skip
    begun = _begun(scene)
    for k, change in enumerate(changes[1:], start=1):
        late = begun.get(k, change.at_s) - change.at_s
        # The corner of a ramp is where it arrives.
        ramp = ramp_end_s(scene.trial.plan, k, changes[0].to_degC) - change.at_s
        put = partial(_moved_back, partial(drags.corner, k), late + ramp)
        found.append(
            Handle(
                tell("the corner of setpoint {k}", k=k + 1), "corner", "both", put, at_s=change.at_s + late + ramp,
                value=change.to_degC, text=tell(show(change.to_degC, _T, scene.scale)), step_s=drags.time_step_s,
            )
        )  # fmt: skip
    for k, change in enumerate(changes):
        end = scene.trial.duration_s if k == last else begun.get(k + 1, changes[k + 1].at_s)
        name = tell("the setpoint's line") if last == 0 else f"setpoint {k + 1}"
        found.append(
            Handle(
                name, "line", "value", partial(value_only, partial(drags.setpoint, k)),
                at_s=begun.get(k, change.at_s), to_s=end, value=change.to_degC,
                text=tell(show(change.to_degC, _T, scene.scale)),
            )
        )  # fmt: skip
    return found


def _moved_back(put: Callable[[float, float], str], by_s: float, time_s: float, value: float) -> str:
    """A drag of something that stands so much later than what it changes."""
    return put(time_s - by_s, value)


def _begun(scene: Scene) -> dict[int, float]:
    """When the changes of a plan that waits did begin in the selected run; empty of one that does not wait."""
    plan = scene.trial.plan
    if scene.result is None or not any(change.waits for change in plan.changes) or plan.week or plan.again_s:
        return {}
    windows = [window for window in scene.result.measures.windows if window.opens == "setpoint"]
    return {k: window.from_s for k, window in enumerate(windows)}


def body_traces(run: Run, selected: str, *, faded: bool = False) -> list[LaneTrace]:
    """A curve for each body of a run, the selected one strong and on top."""
    found = [
        LaneTrace(body.name, run.time_s, run.bodies_degC[i], i, strong=body.name == selected, faded=faded, named=True)
        for i, body in enumerate(run.rig.all_bodies)
    ]
    return sorted(found, key=lambda trace: trace.strong)


def bodies_lane(scene: Scene, selected: str, *, first: bool = True) -> Lane:
    """The bodies of the selected candidate's run.

    Args:
        scene: what is shown.
        selected: the body whose curve is strong, and whose limit is shown.
        first: it is the strip's main lane, with the plan.
    """
    title = quantity_name(scene.project.rig, scene.scale, say("Temperatures of the bodies"))
    weight = _WEIGHT if first else _SECOND_WEIGHT
    plan = tuple(change.to_degC for change in scene.trial.plan.changes) if first else ()
    bands = (setpoint_band(scene, None),) if first else ()
    if scene.result is None or scene.selected is None:
        return Lane("bodies", title, scene.axis, weight=weight, bands=bands, also=plan)
    run = scene.result.run
    traces = body_traces(run, selected, faded=scene.selected.stale)
    levels: tuple[Level, ...] = ()
    if selected in run.rig.body_names:
        place = run.rig.body_index(selected)
        levels = limit_levels(run.rig.all_bodies[place], float(run.bodies_degC[place].max()), scene.scale)
    traces += _read_only(scene)[:1] if first else ()
    levels += goal_levels(run.rig, scene.scale)
    return Lane(
        "bodies", title, scene.axis, weight=weight, traces=tuple(traces), bands=bands, levels=levels,
        handles=tuple(_plan_handles(scene)[:1]) if first else (), also=plan,
    )  # fmt: skip


def probes_lane(scene: Scene) -> Lane:
    """What each probe reads in the selected candidate's run: the one that controls, guards and others."""
    title = quantity_name(scene.project.rig, scene.scale, say("Probes as read"))
    if scene.result is None:
        return Lane("probes", title, scene.axis, weight=_SECOND_WEIGHT)
    run = scene.result.run
    traces = tuple(
        LaneTrace(f"{probe.name} ({tell(_ROLES[probe.role])})", run.time_s, run.probes_degC[k], k,
                  strong=probe.role == "control", named=len(run.rig.probes) > 1)
        for k, probe in enumerate(run.rig.probes)
    )  # fmt: skip
    axis = ValueAxis(_T, scene.scale)
    return Lane("probes", title, axis, weight=_SECOND_WEIGHT, traces=traces)


_ROLES = {"control": say("controls"), "guard": say("guards"), "watch": say("is recorded")}


def counts_lane(scene: Scene) -> Lane:
    """Raw counts of the probes that have a converter, in the selected candidate's run."""
    title, axis = tell("Raw counts"), ValueAxis(Quantity.NUMBER, scene.scale)
    traces = []
    if scene.result is not None:
        run = scene.result.run
        for k, probe in enumerate(run.rig.probes):
            counts = counts_of(run, k)
            if counts is not None:
                traces.append(LaneTrace(probe.name, run.time_s, counts, k, strong=probe.role == "control"))
    if not traces:
        return Lane("counts", title, None, height=30, nothing=tell("no probe here has a converter"))
    return Lane("counts", title, axis, weight=1.45, traces=tuple(traces))
