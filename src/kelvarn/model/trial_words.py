"""A plan read aloud."""

from kelvarn.sentence import joined, say
from kelvarn.units import Quantity, Scale, show

from .guards import clock, days_text
from .trial import SetpointChange, Trial

_MOST_SAID = 6


def plan_text(trial: Trial, scale: Scale) -> str:
    """The plan in words, such as "to 45 °C, wait until there; at 40 min by 1.5 K/min to 60 °C, wait until there"."""
    plan = trial.plan
    said: list[str] = [_change(change, scale, first=k == 0) for k, change in enumerate(plan.changes[:_MOST_SAID])]
    if len(plan.changes) > _MOST_SAID:
        said.append(say("and {more} more", more=len(plan.changes) - _MOST_SAID))
    if plan.again_s is not None:
        said.append(say("again every {time}", time=show(plan.again_s, Quantity.DURATION)))
    for part in plan.week:
        to = joined(" ", (*([part.named] if part.named else []), show(part.to_degC, Quantity.TEMPERATURE, scale)))
        said.append(say("{start} to {end}, {days}: {to}", start=clock(part.from_s), end=clock(part.to_s),
                        days=days_text(part.days), to=to))  # fmt: skip
    return joined("; ", said)


def _change(change: SetpointChange, scale: Scale, *, first: bool) -> str:
    """One setpoint change."""
    degC = show(change.to_degC, Quantity.TEMPERATURE, scale)
    said: str = say("to {degC}", degC=joined(", ", (change.named, degC)) if change.named else degC)
    if change.ramp_K_per_s is not None:
        said = say("by {ramp} {to}", ramp=show(change.ramp_K_per_s, Quantity.RAMP, scale), to=said)
    if not first:
        said = say("at {time} {to}", time=show(change.at_s, Quantity.DURATION), to=said)
    return say("{to}, wait until there", to=said) if change.waits else said
