"""The lanes of the Trial station: plan and response, drive, what rules and is allowed, events by their kinds."""

from itertools import groupby

import numpy as np

from kelvarn.desktop.strip.lane import Lane, LaneSpan, Shown
from kelvarn.model.events import EVENT_KINDS
from kelvarn.units import Quantity, Scale, to_shown

from .drive import drive_lane
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
    lanes += _events(scene, height)
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
    return Lane("hours", "Setpoint by the hour", None, _HOURS_HEIGHT, spans=spans[:_MOST_HOURS], below_title=True)


def _short(degC: float, scale: Scale) -> str:
    """A setpoint without its unit: there is little room."""
    return f"{to_shown(degC, Quantity.TEMPERATURE, scale):.3g}"


def _events(scene: Scene, height: int) -> list[Lane]:
    """A lane for each kind of event, or one for all where there is no room."""
    kinds = [kind for kind, _ in groupby(sorted(event.kind for event in scene.trial.events))]
    if len(kinds) < 2 or len(kinds) > _MOST_KINDS or height < 420 + 30 * len(kinds):
        return [events_lane(scene)]
    return [events_lane(scene, kind) for kind in EVENT_KINDS if kind in kinds]
