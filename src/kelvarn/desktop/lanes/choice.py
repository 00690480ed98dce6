"""The lanes that can be chosen for the strip, in the order in which they stand."""

from collections.abc import Callable
from typing import NamedTuple

import numpy as np

from kelvarn.desktop.strip.lane import Lane, Shown

from .drive import drive_lane, flow_lane, output_lane, pulses_lanes, switching_lanes, terms_lane
from .events import events_lane
from .safety import guards_lane, permits_lane
from .scene import Scene
from .temperature import bodies_lane, controlled_lane, counts_lane, probes_lane

_MOST_ON_TIMES, _CURVES_NEED, _ON_TIMES_NEED = 3, 380, 46  # lanes of on-times; px for the others, and for each of them


class Choosable(NamedTuple):
    """A lane, or several, that can be chosen: what the list calls it, and how it is made for a height in px."""

    words: str
    make: Callable[[Scene, int], list[Lane]]


def _on_times(scene: Scene, height: int) -> list[Lane]:
    return switching_lanes(scene, min(max((height - _CURVES_NEED) // _ON_TIMES_NEED, 1), _MOST_ON_TIMES))


LANES: dict[str, Choosable] = {
    "temperature": Choosable("what is controlled, with its setpoint", lambda scene, _: [controlled_lane(scene)]),
    "bodies": Choosable("temperature of every body",
                        lambda scene, _: [bodies_lane(scene, scene.project.rig.probe.body, first=False)]),
    "probes": Choosable("probes as read", lambda scene, _: [probes_lane(scene)]),
    "counts": Choosable("raw counts of converters", lambda scene, _: [counts_lane(scene)]),
    "drive": Choosable("drive given", lambda scene, _: [drive_lane(scene)]),
    "output": Choosable("drive asked, given, put out", lambda scene, _: [output_lane(scene)]),
    "terms": Choosable("terms of the law", lambda scene, _: [terms_lane(scene)]),
    "flow": Choosable("flow of fans and valves", lambda scene, _: [flow_lane(scene)]),
    "switching": Choosable("on-times", _on_times),
    "pulses": Choosable("pulses of windows and relays", lambda scene, _: pulses_lanes(scene, _MOST_ON_TIMES)),
    "guards": Choosable("guards and alarms", lambda scene, _: [guards_lane(scene)]),
    "permits": Choosable("what is allowed", lambda scene, _: [permits_lane(scene)]),
    "events": Choosable("events", lambda scene, _: [events_lane(scene)]),
}  # fmt: skip
"""By the words that the project keeps."""


def chosen_lanes(scene: Scene, height: int) -> Shown:
    """The lanes that the project has chosen, for a strip of a height in px."""
    lanes = [lane for key, each in LANES.items() if key in scene.project.lanes for lane in each.make(scene, height)]
    run = scene.result.run if scene.result is not None else None
    samples = run.time_s if run is not None else np.empty(0)
    return Shown(tuple(lanes), scene.trial.duration_s, samples)
