"""Whether the rig can do the job, in words."""

import math

from kelvarn.engine.steady import HoldVerdict, can_hold, oddities
from kelvarn.model.bodies import Body
from kelvarn.model.guards import CutOff, Trip
from kelvarn.model.rig import Rig
from kelvarn.sentence import Figures, Sentence, figures, joined, say
from kelvarn.units import Quantity, Scale, minutes, show


def verdict_text(rig: Rig, setpoint_degC: float, scale: Scale, flat_out_s: float | None) -> str:
    """Whether the rig can hold a setpoint, how long it heats flat out and where it ends stuck on.

    Args:
        flat_out_s: time flat out from cold to the setpoint; None where it never gets there or is not known yet.
    """
    if odd := oddities(rig):
        return joined(" ", odd)
    found = can_hold(rig, setpoint_degC)
    if found is None:
        return say("It never comes to rest by itself: what the drive brings stays, so that it must be controlled.")
    first = _needs(rig, found, setpoint_degC, scale, flat_out_s)
    end = found.end_degC[rig.probe.body]
    ends = say("end at {degC}", degC=show(end, Quantity.TEMPERATURE, scale))
    if not math.isfinite(end):
        ends = say("only get {warmer}", warmer=scale.words.warmer)
    if rig.heats:
        text = say("{first}; stuck on, {body} would {ends}", first=first, body=rig.probe.body, ends=ends)
    else:
        text = say("{first}; with it stopped, {body} would {ends}", first=first, body=rig.probe.body, ends=ends)
    over = [
        _beyond(body, scale)
        for body in rig.all_bodies
        if body.limit_degC is not None and found.end_degC[body.name] > body.limit_degC
    ]
    if over:
        return say("{text} and {beyond}: {stopped}.", text=text, beyond=joined(" and ", over),
                   stopped=_stopped_by(rig, scale))  # fmt: skip
    return say("{text}.", text=text)


def _needs(rig: Rig, found: HoldVerdict, setpoint_degC: float, scale: Scale, flat_out_s: float | None) -> Sentence:
    """What drive it takes to hold a setpoint, or why it cannot be held."""
    hold, given = found.holding_drive, {
        "target": show(setpoint_degC, Quantity.TEMPERATURE, scale),
        "outside": show(rig.surroundings.temperature_degC, Quantity.TEMPERATURE, scale),
    }  # fmt: skip
    if hold is None:
        return say("No: {target} is out of reach at {outside} surroundings", **given)
    if hold >= 0 and not found.can:
        need = say("No: {target} would need {drive} drive at {outside} surroundings",
                   drive=show(hold, Quantity.DRIVE), **given)  # fmt: skip
        if not 0 < hold <= 1:
            return need
        return say("{need}, and there is no more than {most}", need=need, most=show(found.most, Quantity.DRIVE))
    if hold < 0 and not (rig.heats and rig.cools):
        how = {(True, True): say("cooled"), (False, True): say("heated"), (True, False): say("lowered"),
               (False, False): say("raised")}[bool(rig.heats), rig.unit is None]  # fmt: skip
        cannot = say("No: {target} would have to be {moved} at {outside} surroundings, which this rig cannot do")
        return say(cannot, moved=how, **given)
    given["drive"] = show(abs(hold), Quantity.DRIVE)
    first = say("{target} needs {drive} drive at {outside} surroundings", **given)
    if hold < 0:
        first = say("{target} needs {drive} drive of {cooling} at {outside} surroundings", cooling=rig.words.cooling,
                    **given)  # fmt: skip
    if found.between is not None:
        low, high = (show(abs(output), Quantity.DRIVE) for output in found.between)
        first = say("{first} on average, switching between {low} and {high}", first=first, low=low, high=high)
    if any(link.icing is not None for link in rig.links):
        first = say("{first} before any ice has grown", first=first)
    if flat_out_s is not None:
        first = say("{first}; at full drive it gets there in {time}", first=first, time=minutes(flat_out_s))
    return first


def _beyond(body: Body, scale: Scale) -> Sentence:
    """That a body would pass its limit, and what that limit is."""
    limit = show(body.limit_degC or 0.0, Quantity.TEMPERATURE, scale)
    if body.limit_why:
        return say("{body} beyond {limit} ({why})", body=body.name, limit=limit, why=say(body.limit_why))
    return say("{body} beyond {limit}", body=body.name, limit=limit)


def _stopped_by(rig: Rig, scale: Scale) -> Sentence:
    """What must stop a drive that is stuck on: the guards that are there for it, or that there is none."""
    guards = [
        each for each in rig.guards if isinstance(each, Trip | CutOff) and getattr(each, "side", "above") == "above"
    ]
    if not guards:
        return say("an over-temperature trip is needed")
    named = joined(" or ", (
        say("“{guard}” at {degC}", guard=each.name, degC=show(each.at_degC, Quantity.TEMPERATURE, scale))
        for each in guards
    ))  # fmt: skip
    return say("{guards} must stop it", guards=named)


def holding_text(held: list[tuple[float, float]], scale: Scale) -> str:
    """Duty that holds each of some setpoints; empty without any."""
    if not held:
        return ""
    return say("Holding duty: {duties}", duties=joined(", ", (
        joined(" ", (_whole(show(degC, Quantity.TEMPERATURE, scale)), show(abs(duty), Quantity.DRIVE)))
        for degC, duty in held
    )))  # fmt: skip


def _whole(temperature: Figures) -> Figures:
    """A temperature without a nought behind its point."""
    return figures(temperature.number.removesuffix(".0"), temperature.unit)
