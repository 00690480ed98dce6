"""The lanes that can be chosen for the strip, in the order in which they stand."""

from collections.abc import Callable
from typing import NamedTuple

import numpy as np

from kelvarn.desktop.strip.frame import SPACE, room_left
from kelvarn.desktop.strip.lane import Lane, Shown
from kelvarn.sentence import say

from .drive import drive_lane, flow_lane, ice_lane, output_lane, pulses_lanes, switching_lanes, terms_lane
from .events import events_lane
from .safety import guards_lane, permits_lane
from .scene import Scene
from .temperature import bodies_lane, controlled_lane, counts_lane, probes_lane

_MOST = 3  # lanes of on-times, and of pulses


class Choosable(NamedTuple):
    """A lane, or several, that can be chosen.

    Attributes:
        words: what the list calls it.
        make: makes it.
        several: it is several, of which so many are made as there is room for.
    """

    words: str
    make: Callable[[Scene], list[Lane]]
    several: bool = False


LANES: dict[str, Choosable] = {
    "temperature": Choosable(say("what is controlled, with its setpoint"), lambda scene: [controlled_lane(scene)]),
    "bodies": Choosable(say("temperature of every body"),
                        lambda scene: [bodies_lane(scene, scene.project.rig.probe.body, first=False)]),
    "probes": Choosable(say("probes as read"), lambda scene: [probes_lane(scene)]),
    "counts": Choosable(say("raw counts of converters"), lambda scene: [counts_lane(scene)]),
    "drive": Choosable(say("drive given"), lambda scene: [drive_lane(scene)]),
    "output": Choosable(say("drive asked, given, put out"), lambda scene: [output_lane(scene)]),
    "terms": Choosable(say("terms of the law"), lambda scene: [terms_lane(scene)]),
    "flow": Choosable(say("flow of fans and valves"), lambda scene: [flow_lane(scene)]),
    "ice": Choosable("ice", lambda scene: [ice_lane(scene)]),
    "switching": Choosable("on-times", switching_lanes, several=True),
    "pulses": Choosable(say("pulses of windows, relays and PWM"), pulses_lanes, several=True),
    "guards": Choosable(say("guards and alarms"), lambda scene: [guards_lane(scene)]),
    "permits": Choosable(say("what is allowed"), lambda scene: [permits_lane(scene)]),
    "events": Choosable("events", lambda scene: [events_lane(scene)]),
}  # fmt: skip
"""By the words that the project keeps."""


def chosen_lanes(scene: Scene, height: int) -> Shown:
    """The lanes that the project has chosen, for a strip of a height in px."""
    made = {key: each.make(scene) for key, each in LANES.items() if key in scene.project.lanes}
    fixed = [lane for key, lanes in made.items() for lane in (lanes[:1] if LANES[key].several else lanes)]
    room = room_left(fixed, height) if fixed else 0.0
    for key, lanes in made.items():
        if LANES[key].several and lanes:
            more = min(max(int(room // (lanes[0].height + SPACE)), 0), _MOST - 1)
            made[key] = sorted(lanes[: 1 + more], key=lambda lane: lane.index)
            room -= more * (lanes[0].height + SPACE)
    lanes = [lane for several in made.values() for lane in several]
    run = scene.result.run if scene.result is not None else None
    samples = run.time_s if run is not None else np.empty(0)
    return Shown(tuple(lanes), scene.trial.duration_s, samples)
