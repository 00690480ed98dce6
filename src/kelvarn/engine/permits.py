"""Which permit is missing at a sample, and which override by hand holds."""

from .ages import in_week
from .compiled import part
from .guard_records import Guarding, Now, PermitKind, PermitRecord
from .inputs import Inputs, PermitInput, Said, Until


@part
def _missing(permit: PermitRecord, asked: PermitInput, said: Said) -> bool:
    """Whether a permit is missing; one that goes by the clock is, while that is not known."""
    if permit.kind == PermitKind.HOURS:
        return not in_week(permit.days, permit.from_ms, permit.lasts_ms, said.week_ms)
    if permit.kind == PermitKind.PRICE:
        return said.price_known and said.price >= permit.limit
    return asked.gone_ms >= permit.after_ms  # one that is there has an age below 0


@part
def look_at_permits(guarding: Guarding, inputs: Inputs) -> None:
    """Find the first permit that is missing for heating, and for cooling; `now` is written."""
    now, permits = guarding.now[0], guarding.permits
    now.no_heating = now.no_cooling = -1
    for p in range(len(permits)):
        permit = permits[p]
        if _missing(permit, inputs.asked[p], inputs.said[0]):
            if permit.heats and now.no_heating < 0:
                now.no_heating = p
            if permit.cools and now.no_cooling < 0:
                now.no_cooling = p


@part
def look_at_override(now: Now, said: Said, began: bool, near: bool) -> None:
    """Find which override holds: one that is let go of stays so until somebody begins another.

    Args:
        now: written.
        said: what is said at this sample.
        began: whether a change of the plan began at this sample.
        near: whether the temperature is inside the band.
    """
    if said.override != now.seen_override:
        now.seen_override, now.let_go = said.override, False
    elif said.override_until == Until.PLAN and began:
        now.let_go = True
    if said.override_until == Until.REACHED and near:
        now.let_go = True
    now.override = -1 if now.let_go else said.override
