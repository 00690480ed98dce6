"""The lanes of the Trial station: plan and response, drive, what rules and is allowed, events by their kinds."""

from functools import partial
from itertools import groupby

import numpy as np

from kelvarn.desktop.language import tell
from kelvarn.desktop.strip.frame import SPACE, room_left
from kelvarn.desktop.strip.lane import Handle, Lane, LaneSpan, Shown
from kelvarn.model.events import EVENT_KINDS
from kelvarn.model.guards import DAY_S, DAYS, clock
from kelvarn.model.trial import WEEK_S
from kelvarn.units import Quantity, Scale, to_shown

from .drive import drive_lane
from .edits import Drags
from .events import events_lane
from .safety import guards_lane, permits_lane
from .scene import Scene
from .temperature import controlled_lane

_MOST_KINDS = 5
_HOURS_HEIGHT, _MOST_HOURS = 44, 120  # px, blocks


def trial_lanes(scene: Scene, height: int) -> Shown:
    """What the strip of the Trial station shows, for a height in px."""
    rig = scene.project.rig
    lanes = [controlled_lane(scene), drive_lane(scene, others=False)]
    if rig.guards or scene.trial.events:
        lanes.append(guards_lane(scene))
    if rig.permits:
        lanes.append(permits_lane(scene))
    if scene.trial.plan.week:
        lanes.append(hours_lane(scene))
    lanes += _events(scene, room_left(lanes, height))
    run = scene.result.run if scene.result is not None else None
    return Shown(tuple(lanes), scene.trial.duration_s, run.time_s if run is not None else np.empty(0))


def hours_lane(scene: Scene) -> Lane:
    """The setpoint by times of day: a block for each stretch with one, the warmer ones darker."""
    course, end_s = scene.trial.course, scene.trial.duration_s
    high = max(change.to_degC for change in course)
    ends = [*(change.at_s for change in course[1:]), end_s]
    spans = tuple(
        LaneSpan(change.at_s, end, _short(change.to_degC, scene.scale), "gold", faint=change.to_degC < high)
        for change, end in zip(course, ends, strict=True)
    )
    return Lane("hours", tell("Setpoint by the hour"), None, _HOURS_HEIGHT, spans=spans[:_MOST_HOURS], below_title=True,
                handles=_edges_of_parts(scene))  # fmt: skip


def _edges_of_parts(scene: Scene) -> tuple[Handle, ...]:
    """Beginning and end of each part of the day, where they come first in the trial; the same on all its days."""
    trial, drags = scene.trial, scene.drags
    if drags is None:
        return ()
    handles = []
    for k, part in enumerate(trial.plan.week):
        for edge, of_day_s in (("from_s", part.from_s), ("to_s", part.from_s + part.lasts_s)):
            firsts = [(DAYS.index(day) * DAY_S + of_day_s - trial.begins_s) % WEEK_S for day in part.days]
            at_s = min(firsts)
            if 0 < at_s < trial.duration_s:
                handles.append(
                    Handle(
                        tell("the beginning of part {k}" if edge == "from_s" else "the end of part {k}", k=k + 1),
                        "block_end", "time",
                        partial(_moved, drags, k, edge), at_s=max(at_s - 1.0, 0.0), to_s=at_s,
                        text=clock(of_day_s % DAY_S), step_s=900.0,
                    )
                )  # fmt: skip
    return tuple(handles)


def _moved(drags: Drags, part: int, edge: str, time_s: float, _value: float) -> str:
    return drags.day_part(part, edge, time_s)


def _short(degC: float, scale: Scale) -> str:
    """A setpoint without its unit: there is little room."""
    return f"{to_shown(degC, Quantity.TEMPERATURE, scale):.3g}"


def _events(scene: Scene, room: float) -> list[Lane]:
    """A lane for each kind of event, or one for all where the other lanes leave no room, px."""
    kinds = [kind for kind, _ in groupby(sorted(event.kind for event in scene.trial.events))]
    apart = [events_lane(scene, kind) for kind in EVENT_KINDS if kind in kinds]
    if len(kinds) < 2 or len(kinds) > _MOST_KINDS or room < sum(lane.height + SPACE for lane in apart):
        return [events_lane(scene)]
    return apart
