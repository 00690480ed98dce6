"""The lanes of the Trial station: plan and response, drive, what rules and is allowed, events by their kinds."""

from itertools import groupby

import numpy as np

from kelvarn.desktop.strip.lane import Lane, Shown
from kelvarn.model.events import EVENT_KINDS

from .drive import drive_lane
from .events import events_lane
from .safety import guards_lane, permits_lane
from .scene import Scene
from .temperature import controlled_lane

_MOST_KINDS = 5


def trial_lanes(scene: Scene, height: int) -> Shown:
    """What the strip of the Trial station shows, for a height in px."""
    rig = scene.project.rig
    lanes = [controlled_lane(scene), drive_lane(scene, others=False)]
    if rig.guards or scene.trial.events:
        lanes.append(guards_lane(scene))
    if rig.permits:
        lanes.append(permits_lane(scene))
    lanes += _events(scene, height)
    run = scene.result.run if scene.result is not None else None
    return Shown(tuple(lanes), scene.trial.duration_s, run.time_s if run is not None else np.empty(0))


def _events(scene: Scene, height: int) -> list[Lane]:
    """A lane for each kind of event, or one for all where there is no room."""
    kinds = [kind for kind, _ in groupby(sorted(event.kind for event in scene.trial.events))]
    if len(kinds) < 2 or len(kinds) > _MOST_KINDS or height < 420 + 30 * len(kinds):
        return [events_lane(scene)]
    return [events_lane(scene, kind) for kind in EVENT_KINDS if kind in kinds]
