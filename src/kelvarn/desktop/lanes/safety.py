"""Lanes of what keeps a rig safe: which guard ruled when, which alarm was on, and what was allowed."""

from functools import partial

import numpy as np

from kelvarn.desktop.language import tell
from kelvarn.desktop.strip.lane import Handle, Lane, LaneSpan, Level
from kelvarn.engine.guard_records import RULERS, Ruler
from kelvarn.engine.missing import missing_spans
from kelvarn.engine.run import Run
from kelvarn.model.guards import Alarm, CutOff, Trip
from kelvarn.units import Quantity, show
from kelvarn.words.guards import ruler_name

from .edits import value_only
from .scene import Scene

_HEIGHT, _ROW, _NOTHING = 44, 16, 26
_MOST = 120  # spans of a lane
_T = Quantity.TEMPERATURE


def guards_lane(scene: Scene) -> Lane:
    """What ruled over the law in the selected candidate's run, and the alarms under it."""
    spans: list[LaneSpan] = []
    if scene.result is not None:
        run = scene.result.run
        spans = [*_ruled(run), *_load_cuts(run), *_alarms(run)]
    rows = max((span.row for span in spans), default=0)
    height = _HEIGHT + _ROW * rows if spans else _NOTHING
    return Lane("guards", tell("Guards"), None, height, spans=tuple(spans[:_MOST]), below_title=True,
                nothing=tell("no guard acts, no alarm is on"))  # fmt: skip


def _changes(codes: np.ndarray, run: Run) -> list[tuple[float, float, int]]:
    """Stretches of one code, but for 0: from, to, code."""
    cuts = np.flatnonzero(np.diff(codes)) + 1
    firsts = np.append(0, cuts)
    lasts = np.append(cuts, codes.size)
    step = run.rig.probe.interval_s
    return [
        (float(run.time_s[first]), float(run.time_s[last - 1]) + step, int(codes[first]))
        for first, last in zip(firsts, lasts, strict=True)
        if codes[first] != 0
    ]


def _ruled(run: Run) -> list[LaneSpan]:
    found = []
    for from_s, to_s, code in _changes(run.guard_code, run):
        ruler = Ruler(code % RULERS)
        strong = ruler <= Ruler.PROBE_FAULT or ruler == Ruler.STANDS_STILL
        color = "ember" if strong else "gold"
        found.append(LaneSpan(from_s, to_s, ruler_name(run, code), color, faint=not strong))
    return found


def _load_cuts(run: Run) -> list[LaneSpan]:
    """Trips and cut-offs that switch off what heats by itself: they decide no drive."""
    return [
        LaneSpan(from_s, to_s, guard.name, "ember")
        for place, guard in enumerate(run.rig.guards)
        if getattr(guard, "does", "") == "load"
        for from_s, to_s, _ in _changes((run.tripped >> place) & 1, run)
    ]


def _alarms(run: Run) -> list[LaneSpan]:
    found = []
    alarms = [guard for guard in run.rig.guards if isinstance(guard, Alarm)]
    for bit, alarm in enumerate(alarms):
        for from_s, to_s, _ in _changes((run.alarm_code >> bit) & 1, run):
            found.append(LaneSpan(from_s, to_s, tell("alarm {alarm}", alarm=alarm.name), "gold", row=1))
    return found


def permits_lane(scene: Scene) -> Lane:
    """A thin bar for each permit where it is there, and what is missing where it is not."""
    spans = []
    end_s = scene.trial.duration_s
    for row, permit in enumerate(scene.project.rig.permits):
        from_s = 0.0
        for low, high in missing_spans(permit, scene.trial)[:_MOST]:
            low, high = min(low, end_s), min(high, end_s)
            if low > from_s:
                spans.append(LaneSpan(from_s, low, permit.name if from_s == 0 else "", "moss", faint=True, row=row))
            if high > low:
                spans.append(LaneSpan(low, high, tell("no {permit}", permit=permit.name), "ember", row=row))
            from_s = high
        if from_s < end_s:
            spans.append(LaneSpan(from_s, end_s, permit.name if from_s == 0 else "", "moss", faint=True, row=row))
    rows = len(scene.project.rig.permits)
    height = _HEIGHT + _ROW * (rows - 1) if rows else _NOTHING
    return Lane("permits", tell("Allowed"), None, height, spans=tuple(spans), below_title=True,
                nothing=tell("always: no permit is asked for"))  # fmt: skip


def safety_levels(scene: Scene) -> tuple[list[Level], list[Handle]]:
    """Levels of trips, cut-offs and alarms on the temperature lane, each with a handle where it can be dragged."""
    levels, handles = [], []
    for place, guard in enumerate(scene.project.rig.guards):
        if not isinstance(guard, Trip | CutOff) and not (isinstance(guard, Alarm) and guard.watches in ("high", "low")):
            continue
        color = "gold" if isinstance(guard, Alarm) else "ember"
        where = guard.body if isinstance(guard, CutOff) else guard.probe
        text = f"{guard.name}: {where} {show(guard.at_degC, _T, scene.scale)}"
        levels.append(Level(guard.at_degC, color, text=text, text_color=color))
        if scene.drags is not None:
            put = partial(value_only, partial(scene.drags.guard_level, place))
            handles.append(
                Handle(
                    tell("the level of “{guard}”", guard=guard.name), "line", "value", put,
                    at_s=0.0, to_s=scene.trial.duration_s, value=guard.at_degC,
                    text=show(guard.at_degC, _T, scene.scale),
                )
            )  # fmt: skip
    return levels, handles
