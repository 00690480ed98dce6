"""Whether the rig can do the job, in words."""

import math

from kelvarn.engine.steady import HoldVerdict, can_hold, oddities
from kelvarn.model.guards import CutOff, Trip
from kelvarn.model.rig import Rig
from kelvarn.units import Quantity, Scale, minutes, show


def verdict_text(rig: Rig, setpoint_degC: float, scale: Scale, flat_out_s: float | None) -> str:
    """Whether the rig can hold a setpoint, how long it heats flat out and where it ends stuck on.

    Args:
        flat_out_s: time flat out from cold to the setpoint; None where it never gets there or is not known yet.
    """
    if odd := oddities(rig):
        return " ".join(odd)
    found = can_hold(rig, setpoint_degC)
    target = show(setpoint_degC, Quantity.TEMPERATURE, scale)
    if found is None:
        return "It never comes to rest by itself: what the drive brings stays, so that it must be controlled."
    hold, body = found.holding_drive, rig.probe.body
    outside = show(rig.surroundings.temperature_degC, Quantity.TEMPERATURE, scale)
    if hold is None or not (found.can or hold < 0):
        need = f"would need {show(hold, Quantity.DRIVE)} drive" if hold is not None else "is out of reach"
        top = f", and there is no more than {show(found.most, Quantity.DRIVE)}" if hold and hold <= 1 else ""
        first = f"No: {target} {need} at {outside} surroundings{top}"
    elif hold < 0 and not (rig.heats and rig.cools):
        verb = ("cooled" if rig.heats else "heated") if rig.unit is None else ("lowered" if rig.heats else "raised")
        first = f"No: {target} would have to be {verb} at {outside} surroundings, which this rig cannot do"
    else:
        way = f" of {rig.words.cooling}" if hold < 0 else ""
        first = f"{target} needs {show(abs(hold), Quantity.DRIVE)} drive{way} at {outside} surroundings"
        if found.between is not None:
            low, high = (show(abs(output), Quantity.DRIVE) for output in found.between)
            first += f" on average, switching between {low} and {high}"
        if any(link.icing is not None for link in rig.links):
            first += " before any ice has grown"
        if flat_out_s is not None:
            first += f"; at full drive it gets there in {minutes(flat_out_s)}"
    text = f"{first}; {'stuck on' if rig.heats else 'with it stopped'}, {body} would {_ends(found, body, scale)}"
    over = [b for b in rig.all_bodies if b.limit_degC is not None and found.end_degC[b.name] > b.limit_degC]
    if over:
        names = " and ".join(
            f"{b.name} beyond {show(b.limit_degC or 0.0, Quantity.TEMPERATURE, scale)}"
            + (f" ({b.limit_why})" if b.limit_why else "")
            for b in over
        )
        return f"{text} and {names}: {_stopped_by(rig, scale)}."
    return f"{text}."


def _stopped_by(rig: Rig, scale: Scale) -> str:
    """What must stop a drive that is stuck on: the guards that are there for it, or that there is none."""
    guards = [
        each for each in rig.guards if isinstance(each, Trip | CutOff) and getattr(each, "side", "above") == "above"
    ]
    if not guards:
        return "an over-temperature trip is needed"
    named = " or ".join(f"“{each.name}” at {show(each.at_degC, Quantity.TEMPERATURE, scale)}" for each in guards)
    return f"{named} must stop it"


def _ends(found: HoldVerdict, body: str, scale: Scale) -> str:
    end = found.end_degC[body]
    return (
        f"end at {show(end, Quantity.TEMPERATURE, scale)}" if math.isfinite(end) else f"only get {scale.words.warmer}"
    )


def holding_text(held: list[tuple[float, float]], scale: Scale) -> str:
    """Duty that holds each of some setpoints; empty without any."""
    if not held:
        return ""
    return "Holding duty: " + ", ".join(
        f"{show(degC, Quantity.TEMPERATURE, scale).replace('.0 ', ' ')} {show(abs(duty), Quantity.DRIVE)}"
        for degC, duty in held
    )
