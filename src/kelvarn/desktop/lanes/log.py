"""Logs as lanes: measured and model, what is left over, the drive as recorded, the spans that count."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from typing import Literal

import numpy as np

from kelvarn.desktop.language import tell
from kelvarn.desktop.strip.lane import Handle, Label, Lane, LaneSpan, LaneTrace, Level, Shown, ValueAxis
from kelvarn.fit.planning import Rough, StepTestPlan, course_degC
from kelvarn.model.log import Log
from kelvarn.model.log_data import Floats, LogData
from kelvarn.sentence import figures
from kelvarn.units import Quantity, Scale, show, usual_unit

_SPANS_HEIGHT = 34
_PLAN_POINTS = 600
_DRIVE = ValueAxis(Quantity.DRIVE, fixed=(0.0, 1.0), ticks=(0.0, 1.0))


@dataclass(frozen=True, eq=False)
class LaidCourse:
    """A course laid over a log: its name, instants, values in degC, and its look."""

    name: str
    time_s: Floats
    degC: Floats
    index: int
    strong: bool = False


@dataclass(frozen=True, eq=False)
class LogScene:
    """What the lanes of a log are made of.

    Attributes:
        log, data, scale: what is shown, and in what.
        courses: laid over the temperature; what is left over is of the first.
        other: another log to be seen beside it, and its name.
        labels, levels: said on the temperature.
        said: about what is left over.
        edge, span, span_end: drags of the ends of the span used (first or not), of a span left out and of its end;
            None where nothing can be dragged.
    """

    log: Log
    data: LogData
    scale: Scale
    courses: tuple[LaidCourse, ...] = ()
    other: tuple[str, LogData] | None = None
    labels: tuple[Label, ...] = ()
    levels: tuple[Level, ...] = ()
    said: str = ""
    edge: Callable[[bool, float], str] | None = None
    span: Callable[[int, float], str] | None = None
    span_end: Callable[[int, float], str] | None = None


def log_lanes(scene: LogScene) -> Shown:
    """Lanes of a log, with what is laid over it."""
    data = scene.data
    lanes = [_temperature(scene)]
    if scene.courses:
        lanes.append(_left_over(scene))
    if data.drive is not None:
        lanes.append(_drive(data))
    if scene.edge is not None:
        lanes.append(_spans(scene))
    return Shown(tuple(lanes), max(data.duration_s, 1e-3), data.time_s)


def _temperature(scene: LogScene) -> Lane:
    data = scene.data
    traces = [LaneTrace(tell("measured"), data.time_s, data.measured_degC, 0)]
    for name, values in data.others_degC.items():
        traces.append(LaneTrace(name, data.time_s, values, 3, faded=True, named=True))
    for name, more, look in (
        (tell("setpoint"), data.setpoint_degC, 4), (tell("reference"), data.reference_degC, 2),
        (tell("surroundings"), data.surroundings_degC, 2),
    ):  # fmt: skip
        if more is not None:
            traces.append(LaneTrace(name, data.time_s, more, look, faded=True, named=True))
    if scene.other is not None:
        name, other = scene.other
        kept = other.time_s <= data.duration_s
        traces.append(LaneTrace(name, other.time_s[kept], other.measured_degC[kept], 3, named=True))
    traces += [LaneTrace(c.name, c.time_s, c.degC, c.index, strong=c.strong, named=True) for c in scene.courses]
    left_out = [
        LaneSpan(s.from_s, s.to_s, tell("left out: {why}", why=s.why) if s.why else tell("left out"), hatched=True)
        for s in scene.log.left_out
    ]
    title = tell("Measured and {name}", name=scene.courses[0].name) if scene.courses else tell("As it is read")
    notes = tuple(
        Label(note.text, note.at_s, float(np.interp(note.at_s, data.time_s, data.measured_degC)), "glacier", "since")
        for note in scene.log.moments
    )
    return Lane(
        "log", f"{title}, {scene.scale.value}",
        ValueAxis(Quantity.TEMPERATURE, scene.scale), weight=5.0, traces=tuple(traces), levels=scene.levels,
        spans=tuple(left_out), labels=(*scene.labels, *notes),
    )  # fmt: skip


def _left_over(scene: LogScene) -> Lane:
    course, data = scene.courses[0], scene.data
    measured = np.interp(course.time_s, data.time_s, data.measured_degC)
    left = np.asarray(measured - course.degC)
    labels = (Label(scene.said, 0.0, 0.0, "glacier", "all"),) if scene.said else ()
    title = tell("Measured − {course}, {unit}", course=course.name, unit=usual_unit(Quantity.DIFFERENCE, scene.scale))
    trace = LaneTrace(tell("residual"), course.time_s, left, 0)
    axis = ValueAxis(Quantity.DIFFERENCE, scene.scale, least=0.2)
    zero = Level(0.0, "muted")
    return Lane("residual", title, axis, weight=1.5, traces=(trace,), levels=(zero,), labels=labels)


def _drive(data: LogData) -> Lane:
    """The drive holds until the next row: a step has both its values at one instant."""
    assert data.drive is not None
    t, u = data.time_s, data.drive
    moved = np.flatnonzero(np.diff(u) != 0) + 1
    at = np.insert(t, moved, t[moved] - 1e-9 * max(t[-1], 1.0))
    held = np.insert(u, moved, u[moved - 1])
    low = -1.0 if float(u.min()) < 0 else 0.0
    axis = _DRIVE if low == 0 else ValueAxis(Quantity.DRIVE, fixed=(-1.0, 1.0), ticks=(-1.0, 0.0, 1.0))
    return Lane(
        "drive",
        tell("Drive as recorded, %"),
        axis,
        weight=1.2,
        traces=(LaneTrace(tell("drive"), at, held, 0, filled=True),),
    )


def _spans(scene: LogScene) -> Lane:
    """The span used, as a bar whose ends are dragged, and those left out, as blocks that are moved and stretched."""
    assert scene.edge is not None
    assert scene.span is not None
    assert scene.span_end is not None
    edge, move, stretch = scene.edge, scene.span, scene.span_end
    end = scene.data.duration_s
    used = scene.log.used
    low, high = (used.from_s, min(used.to_s, end)) if used is not None else (0.0, end)
    step = end / 500
    spans = [LaneSpan(low, high, tell("span used for the fit"), "ink", faint=True)]
    handles = []
    for k, span in enumerate(scene.log.left_out):
        spans.append(LaneSpan(span.from_s, span.to_s, "", "gold"))
        at, to = span.from_s, span.to_s
        handles.append(
            _handle(tell("the end of left out {k}", k=k + 1), "block_end", at, to, partial(_timed, stretch, k), step)
        )
        handles.append(_handle(tell("left out {k}", k=k + 1), "block", at, to, partial(_timed, move, k), step))
    handles.append(_handle(tell("the end of the span used"), "block_end", low, high, lambda t, _: edge(False, t), step))
    handles.append(
        _handle(tell("the beginning of the span used"), "block_end", low, low, lambda t, _: edge(True, t), step)
    )
    return Lane("spans", "", None, _SPANS_HEIGHT, spans=tuple(spans), handles=tuple(handles))


def _timed(drag: Callable[[int, float], str], index: int, time_s: float, _value: float) -> str:
    """A drag along the time."""
    return drag(index, time_s)


def _handle(
    name: str,
    shape: Literal["block", "block_end"],
    from_s: float,
    to_s: float,
    drag: Callable[[float, float], str],
    step_s: float,
) -> Handle:
    text = show(to_s, Quantity.DURATION)
    return Handle(name, shape, "time", drag, at_s=from_s, to_s=to_s, text=text, step_s=step_s)


def plan_lanes(rough: Rough, plan: StepTestPlan, scale: Scale) -> Shown:
    """What a planned recording would look like."""
    test = plan.test
    t = np.linspace(0.0, test.whole_s, _PLAN_POINTS)
    degC = course_degC(rough, test, t)
    label = Label(
        tell("ends at {end}", end=show(plan.end_degC, Quantity.TEMPERATURE, scale)),
        float(t[-1]),
        float(degC[-1]),
        "ink",
        "peak",
    )
    temperature = Lane(
        "planned", tell("What the recording will look like, {scale}", scale=scale.value),
        ValueAxis(Quantity.TEMPERATURE, scale),
        weight=5.0,
        traces=(LaneTrace(tell("expected"), t, degC, 0, strong=True),), labels=(label,),
    )  # fmt: skip
    u = np.where(t >= test.before_s, test.drive, test.start)
    drive = Lane(
        "drive", tell("Drive to give, %"), _DRIVE, weight=1.5, traces=(LaneTrace("drive", t, u, 0, filled=True),)
    )
    span = LaneSpan(0, test.before_s, tell("at rest"), "moss", faint=True)
    step = LaneSpan(
        test.before_s,
        test.whole_s,
        tell("step to {percent} %", percent=figures(f"{100 * test.drive:.0f}", "")),
        "glacier",
        faint=True,
    )
    return Shown((temperature, drive, Lane("spans", "", None, _SPANS_HEIGHT, spans=(span, step))), float(t[-1]), t)
