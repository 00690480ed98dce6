"""A plan read aloud."""

from kelvarn.units import Quantity, Scale, show

from .guards import clock, days_text
from .trial import SetpointChange, Trial

_MOST_SAID = 6


def plan_text(trial: Trial, scale: Scale) -> str:
    """The plan in words, such as "to 45 °C, wait until there; at 40 min by 1.5 K/min to 60 °C, wait until there"."""
    plan = trial.plan
    said = [_change(change, scale, first=k == 0) for k, change in enumerate(plan.changes[:_MOST_SAID])]
    if len(plan.changes) > _MOST_SAID:
        said.append(f"and {len(plan.changes) - _MOST_SAID} more")
    if plan.again_s is not None:
        said.append(f"again every {show(plan.again_s, Quantity.DURATION)}")
    for part in plan.week:
        at = f"{clock(part.from_s)} to {clock(part.to_s)}, {days_text(part.days)}"
        name = f"{part.named} " if part.named else ""
        said.append(f"{at}: {name}{show(part.to_degC, Quantity.TEMPERATURE, scale)}")
    return "; ".join(said)


def _change(change: SetpointChange, scale: Scale, *, first: bool) -> str:
    """One setpoint change."""
    said = "" if first else f"at {show(change.at_s, Quantity.DURATION)} "
    if change.ramp_K_per_s is not None:
        said += f"by {show(change.ramp_K_per_s, Quantity.RAMP, scale)} "
    name = f"{change.named}, " if change.named else ""
    said += f"to {name}{show(change.to_degC, Quantity.TEMPERATURE, scale)}"
    return said + (", wait until there" if change.waits else "")
