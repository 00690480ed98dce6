"""On/off at a sample, in words."""

from kelvarn.engine.laws.on_off import Code
from kelvarn.model import on_off as model
from kelvarn.model.law import Way
from kelvarn.sentence import say
from kelvarn.units import Quantity, Scale, show

from ..rulers import on_rulers
from ..sample import Sample, Term


def terms(law: model.OnOff, at: Sample) -> list[Term]:
    """It has none."""
    del law, at
    return []


def why(law: model.OnOff, at: Sample, scale: Scale) -> str:
    """What it did at a sample, in words."""
    y = _degrees(at.measured_degC, scale)
    on_degC, off_degC, sign, verb = _acting_edges(law, at)
    on_edge, off_edge = _degrees(on_degC, scale), _degrees(off_degC, scale)
    short, past = (say("below"), say("above")) if sign > 0 else (say("above"), say("below"))
    left = show(at.delay_left_s, Quantity.DURATION)
    match Code(at.code):
        case Code.KEEPS_OFF | Code.KEEPS_ON:
            low, high = (on_edge, off_edge) if sign > 0 else (off_edge, on_edge)
            return say("{y} is between {low} and {high}: stays {verb}{state}", y=y, low=low, high=high, verb=verb,
                       state=say("on") if at.code == Code.KEEPS_ON else say("off"))  # fmt: skip
        case Code.SWITCHES_ON:
            return say("{y} is {short} {on_edge}: switches {verb}on", y=y, short=short, on_edge=on_edge, verb=verb)
        case Code.SWITCHES_OFF:
            return say("{y} is {past} {off_edge}: switches {verb}off", y=y, past=past, off_edge=off_edge, verb=verb)
        case Code.STAYS_ON:
            return say("{y} is {short} {on_edge}: {verb}stays on", y=y, short=short, on_edge=on_edge, verb=verb)
        case Code.STAYS_OFF:
            return say("{y} is {past} {off_edge}: {verb}stays off", y=y, past=past, off_edge=off_edge, verb=verb)
        case Code.SHORTEST_ON:
            return say("shortest on, {left} left: stays on at {y}", left=left, y=y)
        case Code.RESTART_DELAY:
            return say("restart delay, {left} left: stays off at {y}", left=left, y=y)
        case Code.CONFIRMING:
            return say("{y} has passed an edge; counts if it stays so {left} longer", y=y, left=left)
        case Code.NOT_DECIDING:
            return say("decides again in {left}: stays {state}", left=left, state=say("on") if at.given else say("off"))
        case Code.DONE_ONCE:
            return say("reached the setpoint once: stays off until reset")


def _acting_edges(law: model.OnOff, at: Sample) -> tuple[float, float, int, str]:
    """Where it switches on and off, which way is more, and what a sentence says besides."""
    sign, r = at.direction, at.setpoint_degC
    on_degC, off_degC = law.on_off_degC(r, Way(sign))
    if law.once and law.notation != "cuts":
        off_degC = r
    # Beside a drive that heats, one that cools: which of them it is about is told by the side of the setpoint.
    apart = sign * law.dead_band_K
    if at.both and (at.given < 0 or (at.given == 0 and sign * (at.measured_degC - r - apart / 2) > 0)):
        return 2 * r - on_degC + apart, 2 * r - off_degC + apart, -sign, say("cooling ")
    return on_degC, off_degC, sign, ""


def _degrees(value: float, scale: Scale) -> str:
    return show(value, Quantity.TEMPERATURE, scale)


def at_reading(law: model.OnOff, at: Sample, degC: float, here: str) -> str:
    """What it would do at a reading, in words."""
    sign = at.direction
    on_degC, off_degC = law.on_off_degC(at.setpoint_degC, Way(sign))
    if at.both and sign * (degC - at.setpoint_degC) > law.dead_band_K / 2:  # the side of what cools
        on_degC, off_degC = (2 * at.setpoint_degC - edge + sign * law.dead_band_K for edge in (on_degC, off_degC))
        sign = -sign
    if sign * (degC - on_degC) <= 0:
        return say("at {here} it would switch on", here=here)
    if sign * (degC - off_degC) >= 0:
        return say("at {here} it would switch off", here=here)
    return say("at {here} it would stay {state}, as it is here", here=here, state=say("on") if at.given else say("off"))


def settings(law: model.OnOff, scale: Scale) -> str:
    """What stands on rulers, in a few words."""
    return on_rulers(law, scale)
