"""Remarks on ice: how much a run grows, what that keeps off, a defrost that melts it, and what people can do."""

import math
from collections.abc import Iterator
from dataclasses import dataclass
from functools import partial

from kelvarn.engine.icing import FUSION_J_PER_KG, layer_K_per_W
from kelvarn.engine.measures import Measures
from kelvarn.model.bodies import Link
from kelvarn.model.control_events import Pause
from kelvarn.model.edit import append
from kelvarn.model.events import Load
from kelvarn.model.icing import Icing
from kelvarn.model.names import free_name
from kelvarn.model.project import Project
from kelvarn.sentence import say
from kelvarn.units import Quantity, show

from .look import Look
from .remark import Remark

_LEAST_KG = 0.005  # of ice that is worth a word
_KEPT = 0.5  # of the most ice that is still there at the end: nothing melts it
_TOLERABLE = 0.2  # share of the air's way, or of the heat, that ice may take before it is defrosted
_ENOUGH = 1.6  # times the heat that melts it all and warms the body to 0 °C
_COLDER_K = 10.0  # than 0 °C, from which it is warmed
_STEP_S = 300.0


def ice_remarks(look: Look, name: str, known: Measures) -> Iterator[Remark]:
    """What is said of a candidate's run on a rig that ices.

    Args:
        look, name: what is looked at, and the candidate.
        known: measures of its run.
    """
    most, left = known.values.get("most_ice_kg"), known.values.get("ice_left_kg")
    for k, link in enumerate(look.rig.links):
        if link.icing is None or most is None or left is None or most < _LEAST_KG:
            continue
        at = ("rig", "links", k, "icing", "dew_point_degC")
        grown_kg = left - link.icing.start_kg
        if left < _KEPT * most or grown_kg <= _LEAST_KG:
            continue
        text = say("Ice grows on {body}: {left} after {span}{costs}, and nothing melts it.",
                   body=link.iced_body, left=show(left, Quantity.MASS), span=look.span(look.trial.duration_s),
                   costs=_costs(link, link.icing, left))  # fmt: skip
        made = defrost_for(look, link, grown_kg / look.trial.duration_s)
        if made is None:
            yield Remark("ice grows", name, at, text)
        else:
            yield Remark(
                "ice grows", name, at, text,
                say("defrost {lasts} every {every} with {heater}", lasts=look.span(made.lasts_s),
                    every=look.span(made.every_s), heater=show(made.heater_W, Quantity.POWER)),
                partial(made.add, trial=look.trial.name),
            )  # fmt: skip


def _costs(link: Link, icing: Icing, ice_kg: float) -> str:
    """What so much ice keeps off."""
    g = link.conductance_W_per_K + link.full_W_per_K
    kept_off = 1 - 1 / (1 + g * layer_K_per_W(icing, ice_kg))
    found = [say("keeps {share} of the heat off", share=show(kept_off, Quantity.DRIVE))] if kept_off > 0.01 else []
    if icing.blocks_kg is not None and link.driven_by is not None:
        closed = min(ice_kg / icing.blocks_kg, 1.0)
        found.append(say("blocks all of the air's way") if closed > 0.97 else
                     say("takes {closed} of the air's way", closed=show(closed, Quantity.DRIVE)))  # fmt: skip
    return say(", which {does}", does=" and ".join(found)) if found else ""


def tolerable_kg(link: Link, icing: Icing) -> float:
    """Ice that takes a fifth of the air's way, or keeps a fifth of the heat off, whichever is less."""
    g = link.conductance_W_per_K + link.full_W_per_K
    by_heat = _TOLERABLE / (1 - _TOLERABLE) / (g * layer_K_per_W(icing, 1.0)) if g > 0 else math.inf
    by_way = math.inf if icing.blocks_kg is None or link.driven_by is None else _TOLERABLE * icing.blocks_kg
    return min(by_heat, by_way)


@dataclass(frozen=True)
class Defrost:
    """A defrost: the drives pause, and a heater warms what ices; how long, and how often it begins, s."""

    body: str
    lasts_s: float
    every_s: float
    heater_W: float

    def add(self, project: Project, trial: str) -> Project:
        """The project with it in a trial."""
        path = ("trials", [each.name for each in project.trials].index(trial), "events")
        taken = [event.name for event in project.trial(trial).events]
        when = {"at_s": self.every_s, "lasts_s": self.lasts_s, "again_s": self.every_s}
        pause = Pause(name=free_name("Defrost", taken), why="melts the ice before it is in the way", **when)
        heater = Load(name=free_name("Defrost heater", taken), body=self.body, power_W=self.heater_W, **when)
        return append(append(project, path, pause), path, heater)


def defrost_for(look: Look, link: Link, grows_kg_per_s: float) -> Defrost | None:
    """A defrost with a heater of the cooler's power that keeps up with the ice; None where it grows too quickly."""
    rig, icing = look.rig, link.icing
    cools = [drive.power_W for drive in rig.drives if drive.acts == "cools" and not drive.moves]
    if icing is None or not cools:
        return None
    watts, body = float(f"{max(cools):.2g}"), rig.bodies[rig.body_index(link.iced_body)]
    every_s = min(tolerable_kg(link, icing) / grows_kg_per_s, look.trial.duration_s / 2)
    every_s = math.floor(every_s / _STEP_S) * _STEP_S
    heat_J = _ENOUGH * (every_s * grows_kg_per_s * FUSION_J_PER_KG + _COLDER_K * body.capacity_J_per_K)
    lasts_s = math.ceil(heat_J / watts / 60.0) * 60.0
    return Defrost(body.name, lasts_s, every_s, watts) if lasts_s <= every_s / 3 else None
