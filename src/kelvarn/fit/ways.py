"""Ways in which equipment changes, each as one figure: heat loss, heat capacity, power, contact, dead time, offset."""

import math
from collections.abc import Callable
from dataclasses import dataclass

from kelvarn.model.drives import Valve
from kelvarn.model.fields import SURROUNDINGS
from kelvarn.model.rig import Rig
from kelvarn.sentence import say
from kelvarn.units import Quantity


def _response(rig: Rig, **factors: float) -> Rig:
    made = rig.response
    assert made is not None
    found = {name: getattr(made, name) * factor for name, factor in factors.items()}
    return rig.model_copy(update={"response": made.model_copy(update=found)})


def _loss(rig: Rig, x: float) -> Rig:
    factor = math.exp(x)
    if rig.response is not None:
        return _response(rig, gain_K=1 / factor, lag_s=1 / factor, lag2_s=1.0)
    fields = ("conductance_W_per_K", "full_W_per_K", "radiating_m2")
    links = tuple(
        link.model_copy(update={name: getattr(link, name) * factor for name in fields})
        if SURROUNDINGS in (link.a, link.b)
        else link
        for link in rig.links
    )
    return rig.model_copy(update={"links": links})


def _capacity(rig: Rig, x: float) -> Rig:
    factor = math.exp(x)
    if rig.response is not None:
        return _response(rig, lag_s=factor, lag2_s=factor, rise_K_per_s=1 / factor)
    bodies = tuple(body.model_copy(update={"capacity_J_per_K": body.capacity_J_per_K * factor}) for body in rig.bodies)
    return rig.model_copy(update={"bodies": bodies})


def _contact(rig: Rig, x: float) -> Rig:
    factor = math.exp(x)
    links = tuple(
        link
        if SURROUNDINGS in (link.a, link.b) or link.driven_by
        else link.model_copy(update={"conductance_W_per_K": link.conductance_W_per_K * factor})
        for link in rig.links
    )
    return rig.model_copy(update={"links": links})


def _power(rig: Rig, x: float) -> Rig:
    factor = math.exp(x)
    if rig.response is not None:
        return _response(rig, gain_K=factor, rise_K_per_s=factor)
    if not any(drive.heated_body is not None for drive in rig.drives):
        return _flow(rig, factor)
    drives = tuple(
        drive.model_copy(update={"power_W": drive.power_W * factor}) if drive.heated_body is not None else drive
        for drive in rig.drives
    )
    return rig.model_copy(update={"drives": drives})


def _flow(rig: Rig, factor: float) -> Rig:
    links = tuple(
        link.model_copy(update={"full_W_per_K": link.full_W_per_K * factor}) if link.driven_by else link
        for link in rig.links
    )
    return rig.model_copy(update={"links": links})


def _dead_time(rig: Rig, x: float) -> Rig:
    if rig.response is not None:
        return rig.model_copy(
            update={"response": rig.response.model_copy(update={"dead_time_s": max(rig.response.dead_time_s + x, 0.0)})}
        )
    drives = tuple(drive.model_copy(update={"dead_time_s": max(drive.dead_time_s + x, 0.0)}) for drive in rig.drives)
    return rig.model_copy(update={"drives": drives})


def _offset(rig: Rig, x: float) -> Rig:
    probes = tuple(
        probe.model_copy(update={"offset_K": probe.offset_K + x}) if probe.role == "control" else probe
        for probe in rig.probes
    )
    return rig.model_copy(update={"probes": probes})


@dataclass(frozen=True)
class WayOfChange:
    """A way in which equipment changes.

    Attributes:
        name, apply: its words, and how it is applied.
        share: whether its figure is the logarithm of a factor.
        step: that it is differenced by; least: less of it is not worth naming.
    """

    name: str
    apply: Callable[[Rig, float], Rig]
    share: bool
    step: float
    least: float
    quantity: Quantity = Quantity.NUMBER


WAYS: dict[str, WayOfChange] = {
    "loss": WayOfChange("heat loss", _loss, True, 0.01, 0.02),
    "capacity": WayOfChange("heat capacity", _capacity, True, 0.01, 0.02),
    "power": WayOfChange("power", _power, True, 0.01, 0.02),
    "contact": WayOfChange(say("contact between the bodies"), _contact, True, 0.01, 0.02),
    "dead_time": WayOfChange("dead time", _dead_time, False, 1.0, 1.0, Quantity.DURATION),
    "offset": WayOfChange(say("offset of the probe"), _offset, False, 0.1, 0.1, Quantity.DIFFERENCE),
}


def ways_of(rig: Rig) -> list[str]:
    """Ways in which this rig can change."""
    found = list(WAYS)
    if rig.response is not None and rig.response.kind == "integrating":
        found.remove("loss")
        found.remove("power")  # the same thing as the capacity
    if all(SURROUNDINGS in (link.a, link.b) or link.driven_by for link in rig.links):
        found.remove("contact")
    if all(isinstance(drive, Valve) for drive in rig.drives):
        found.remove("power")
    return found
