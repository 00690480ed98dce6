"""A curve at a sample, in words."""

import numpy as np

from kelvarn.engine.laws import static_curve
from kelvarn.engine.laws.curve import Code
from kelvarn.model import curve as model
from kelvarn.model.law import Way
from kelvarn.sentence import joined, say
from kelvarn.units import Quantity, Scale, show

from ..rulers import on_rulers
from ..sample import Sample, Term


def terms(law: model.Curve, at: Sample) -> list[Term]:
    """It has none."""
    del law, at
    return []


def why(law: model.Curve, at: Sample, scale: Scale) -> str:
    """What it did at a sample, in words."""
    y, drive = show(at.measured_degC, Quantity.TEMPERATURE, scale), show(at.asked, Quantity.DRIVE)
    short, past = (say("above"), say("below")) if at.direction > 0 else (say("below"), say("above"))
    code = Code(at.code)
    if code in (Code.SLEW_UP, Code.SLEW_DOWN):
        return say("{y}: the curve asks for {drive}, the slew limit gives {given}", y=y, drive=drive,
                   given=show(at.given, Quantity.DRIVE))  # fmt: skip
    if law.shape == "ramp":
        return joined(" ", (y, _on_ramp(law, at, code, scale, short, past)))
    return joined(" ", (y, _on_steps(law, at, code, scale, short, past)))


def _on_ramp(law: model.Curve, at: Sample, code: Code, scale: Scale, short: str, past: str) -> str:
    start, full = (show(x, Quantity.TEMPERATURE, scale) for x in (law.start_degC, law.full_degC))
    drive = show(at.asked, Quantity.DRIVE)
    off = show(law.start_degC + at.direction * law.back_off_K, Quantity.TEMPERATURE, scale)
    match code:
        case Code.STARTS:
            return say("has reached {start}: starts at {drive}", start=start, drive=drive)
        case Code.STOPS:
            return say("is {short} {off}: stops", short=short, off=off)
        case Code.AT_FLOOR:
            return say("is {short} the start at {start}, but not yet {short} {off}: stays at its floor, {drive}",
                       short=short, start=start, off=off, drive=drive)  # fmt: skip
        case Code.FULL:
            return say("is {past} {full}: gives all of it", past=past, full=full)
        case Code.ON_RAMP:
            return say("lies between {start} and {full}: gives {drive}", start=start, full=full, drive=drive)
        case _:
            return say("is {short} the start at {start}: stays off", short=short, start=start)


def _on_steps(law: model.Curve, at: Sample, code: Code, scale: Scale, short: str, past: str) -> str:
    drive = show(at.asked, Quantity.DRIVE)
    # Which step it is on follows from its drive; one that is rounded to levels is the nearest.
    place = min(range(len(law.steps)), key=lambda k: abs(law.steps[k].drive - at.asked))
    step = law.steps[place]
    edge = show(step.from_degC, Quantity.TEMPERATURE, scale)
    back = show(step.from_degC + at.direction * step.back_off_K, Quantity.TEMPERATURE, scale)
    match code:
        case Code.STEP_TAKEN:
            hunts = (
                say("; no hysteresis here, so just {short} {edge} takes it back", short=short, edge=edge)
                if step.back_off_K == 0
                else ""
            )
            return say("has passed {edge}: goes to {drive}{hunts}", edge=edge, drive=drive, hunts=hunts)
        case Code.STEP_LEFT:
            left = law.steps[0] if at.asked == 0 else law.steps[min(place + 1, len(law.steps) - 1)]
            gone = show(left.from_degC + at.direction * left.back_off_K, Quantity.TEMPERATURE, scale)
            return (
                say("is {short} {gone}: goes back to {drive}", short=short, gone=gone, drive=drive)
                if at.asked
                else say("is {short} {gone}: switches off", short=short, gone=gone)
            )
        case Code.ON_STEP:
            return say("is {past} {edge}: gives {drive}", past=past, edge=edge, drive=drive)
        case Code.STEP_KEPT:
            return say("is {short} {edge}, but not yet {short} {back}: keeps {drive}", short=short, edge=edge,
                       back=back, drive=drive)  # fmt: skip
        case _:
            first = show(law.steps[0].from_degC, Quantity.TEMPERATURE, scale)
            return say("is {short} {first}: stays off", short=short, first=first)


def at_reading(law: model.Curve, at: Sample, degC: float, here: str) -> str:
    """What it would give at a reading, in words: on the way to more of it, and on the way back."""
    way, far = Way(at.direction, at.both), abs(degC) + 1000.0
    found = static_curve(law, at.setpoint_degC, way, -far, far)
    assert found is not None
    lines = [np.array(line) * (-way.sign, 1.0) for line in (found.rising, found.falling or found.rising)]
    rising, falling = (float(np.interp(-way.sign * degC, *line.T)) for line in lines)
    said: str = show(rising, Quantity.DRIVE)
    if rising != falling:
        back = show(falling, Quantity.DRIVE)
        said = say("{rising} as it is passed, {falling} on the way back", rising=said, falling=back)
    return say("at {here} it would give {said}", here=here, said=said)


def settings(law: model.Curve, scale: Scale) -> str:
    """Its steps, or what stands on rulers, in a few words."""
    if law.shape == "ramp":
        return on_rulers(law, scale)
    return joined(", ", (
        say("{drive} from {begins}", drive=show(step.drive, Quantity.DRIVE),
            begins=show(step.from_degC, Quantity.TEMPERATURE, scale)) for step in law.steps
    ))  # fmt: skip
