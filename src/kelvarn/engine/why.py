"""A controller's decision at one sample, in words and numbers."""

from kelvarn.model.candidate import Hand, OnOff, Pid
from kelvarn.units import Quantity, Scale, show

from .reasons import Reason
from .run import Run


def why(run: Run, index: int, scale: Scale = Scale.CELSIUS) -> str:
    """One sentence on what the controller decided at a sample, and why."""
    reason = Reason(int(run.reason[index]))
    if isinstance(run.controller, Hand):
        return f"set to {show(run.controller.drive, Quantity.DRIVE)} by hand"
    if isinstance(run.controller, OnOff):
        return _why_on_off(run, run.controller, reason, index, scale)
    return _why_pid(run, run.controller, reason, index, scale)


def _degrees(value: float, scale: Scale) -> str:
    return show(value, Quantity.TEMPERATURE, scale)


def _why_on_off(run: Run, c: OnOff, reason: Reason, k: int, scale: Scale) -> str:
    sign = run.direction
    y = _degrees(run.measured_degC[k], scale)
    r = float(run.setpoint_degC[k])
    on_edge = _degrees(r - sign * c.below_K, scale)
    off_edge = _degrees(r + (0.0 if c.once else sign * c.above_K), scale)
    short, past = ("below", "above") if sign > 0 else ("above", "below")
    left = show(run.delay_left_s[k], Quantity.DURATION)
    match reason:
        case Reason.KEEPS_OFF | Reason.KEEPS_ON:
            low, high = (on_edge, off_edge) if sign > 0 else (off_edge, on_edge)
            return f"{y} is inside {low} … {high}: keeps {'on' if reason is Reason.KEEPS_ON else 'off'}"
        case Reason.SWITCHES_ON:
            return f"{y} has reached {on_edge}: switches on"
        case Reason.SWITCHES_OFF:
            return f"{y} has reached {off_edge}: switches off"
        case Reason.STAYS_ON:
            return f"{y} is {short} {on_edge}: stays on"
        case Reason.STAYS_OFF:
            return f"{y} is {past} {off_edge}: stays off"
        case Reason.SHORTEST_ON:
            return f"shortest on, {left} left: stays on at {y}"
        case Reason.RESTART_DELAY:
            return f"restart delay, {left} left: stays off at {y}"
        case Reason.CONFIRMING:
            return f"{y} has passed an edge; counts if it stays so {left} longer"
        case Reason.NOT_DECIDING:
            return f"decides again in {left}: stays {'on' if run.drive[k] > 0.5 else 'off'}"
        case _:
            return "reached the setpoint once: stays off until reset"


def _why_pid(run: Run, c: Pid, reason: Reason, k: int, scale: Scale) -> str:
    asked, given = show(run.asked[k], Quantity.DRIVE), show(run.drive[k], Quantity.DRIVE)
    gap = float(run.setpoint_degC[k] - run.measured_degC[k])
    side = "below" if gap > 0 else "above"
    where = f"{show(abs(gap), Quantity.DIFFERENCE, scale)} {side} the setpoint" if gap else "right at the setpoint"
    match reason:
        case Reason.FREE:
            return f"{where}: gives the {asked} it asks for"
        case Reason.RATE_UP | Reason.RATE_DOWN:
            return f"{where}: wants {asked}, gives {given}: the rate limit holds it"
        case Reason.HELD_HIGH | Reason.HELD_LOW:
            memory = "memory frozen"
        case Reason.PULLED_HIGH | Reason.PULLED_LOW:
            memory = "memory pulled back"
        case _:
            memory = "memory runs on" if c.integrates else "no memory to wind up"
    return f"{where}: wants {asked}, gives {given}: {memory}"
