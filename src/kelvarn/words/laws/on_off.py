"""On/off at a sample, in words."""

from kelvarn.engine.laws.on_off import Code
from kelvarn.model import on_off as model
from kelvarn.model.law import Way
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
    short, past = ("below", "above") if sign > 0 else ("above", "below")
    left = show(at.delay_left_s, Quantity.DURATION)
    match Code(at.code):
        case Code.KEEPS_OFF | Code.KEEPS_ON:
            low, high = (on_edge, off_edge) if sign > 0 else (off_edge, on_edge)
            return f"{y} is between {low} and {high}: stays {verb}{'on' if at.code == Code.KEEPS_ON else 'off'}"
        case Code.SWITCHES_ON:
            return f"{y} is {short} {on_edge}: switches {verb}on"
        case Code.SWITCHES_OFF:
            return f"{y} is {past} {off_edge}: switches {verb}off"
        case Code.STAYS_ON:
            return f"{y} is {short} {on_edge}: {verb}stays on"
        case Code.STAYS_OFF:
            return f"{y} is {past} {off_edge}: {verb}stays off"
        case Code.SHORTEST_ON:
            return f"shortest on, {left} left: stays on at {y}"
        case Code.RESTART_DELAY:
            return f"restart delay, {left} left: stays off at {y}"
        case Code.CONFIRMING:
            return f"{y} has passed an edge; counts if it stays so {left} longer"
        case Code.NOT_DECIDING:
            return f"decides again in {left}: stays {'on' if at.given else 'off'}"
        case Code.DONE_ONCE:
            return "reached the setpoint once: stays off until reset"


def _acting_edges(law: model.OnOff, at: Sample) -> tuple[float, float, int, str]:
    """Where it switches on and off, which way is more, and what a sentence says besides."""
    sign, r = at.direction, at.setpoint_degC
    on_degC, off_degC = law.on_off_degC(r, Way(sign))
    if law.once and law.notation != "cuts":
        off_degC = r
    # Beside a drive that heats, one that cools: which of them it is about is told by the side of the setpoint.
    apart = sign * law.dead_band_K
    if at.both and (at.given < 0 or (at.given == 0 and sign * (at.measured_degC - r - apart / 2) > 0)):
        return 2 * r - on_degC + apart, 2 * r - off_degC + apart, -sign, "cooling "
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
        return f"at {here} it would switch on"
    if sign * (degC - off_degC) >= 0:
        return f"at {here} it would switch off"
    return f"at {here} it would stay {'on' if at.given else 'off'}, as it is here"


def settings(law: model.OnOff, scale: Scale) -> str:
    """What stands on rulers, in a few words."""
    return on_rulers(law, scale)
