"""P, PI and PID at a sample, in words."""

from kelvarn.engine.laws.pid import Code
from kelvarn.model import pid as model
from kelvarn.sentence import say
from kelvarn.units import Quantity, Scale, show

from ..rulers import on_rulers
from ..sample import Sample, Term


def terms(law: model.Pid, at: Sample) -> list[Term]:
    """Its terms at a sample.

    Kp (b r − y) taken apart: distance is Kp (r − y), and what the weight takes off goes with the memory.
    """
    followed = setpoint_followed(law, at)
    lead = law.kp_per_K * (1 - law.acting_weight) * followed
    found = [Term(say("P distance"), at.p + lead, "glacier")]
    if law.integrates:
        found.append(Term(say("I integral"), at.i - lead, "moss"))
    if law.acting_td_s:
        found.append(Term(say("D speed"), at.d, "gold"))
    if law.feed_per_K:
        ahead = law.feed_per_K * (followed - at.direction * law.feed_from_degC)
        found.append(Term("feed-forward", ahead, "muted"))
    return found


def setpoint_followed(law: model.Pid, at: Sample) -> float:
    """The setpoint that it follows, negated where it cools: as its first term tells."""
    if law.setpoint_rate_K_per_s and law.acting_weight > 0:
        return (at.p / law.kp_per_K + at.direction * at.measured_degC) / law.acting_weight
    return at.direction * at.setpoint_degC


def why(law: model.Pid, at: Sample, scale: Scale) -> str:
    """What it did at a sample, in words."""
    asked, given = show(at.asked, Quantity.DRIVE), show(at.given, Quantity.DRIVE)
    followed = at.direction * setpoint_followed(law, at)
    gap = followed - at.measured_degC
    side = say("below") if gap > 0 else say("above")
    where = (
        say("{gap} {side} the setpoint", gap=show(abs(gap), Quantity.DIFFERENCE, scale), side=side)
        if gap
        else say("right at the setpoint")
    )
    if abs(followed - at.setpoint_degC) > 1e-6:
        ramped = show(followed, Quantity.TEMPERATURE, scale)
        where = say("{where}, which is at {followed} on its ramp", where=where, followed=ramped)
    if law.integrates and law.zone_K is not None and abs(gap) > law.zone_K:
        where = say("{where}, too far for the integral to act", where=where)
    if law.low < 0 and law.dead_band and at.asked == 0:
        return say("{where}: what it asks for lies in the dead band, and gives nothing", where=where)
    match Code(at.code):
        case Code.FREE:
            return say("{where}: gives the {asked} it asks for", where=where, asked=asked)
        case Code.RATE_UP | Code.RATE_DOWN:
            return say(
                "{where}: wants {asked}, gives {given}: the rate limit holds it", where=where, asked=asked, given=given
            )
        case Code.HELD_HIGH | Code.HELD_LOW:
            memory = say("integral held")
        case Code.PULLED_HIGH | Code.PULLED_LOW:
            memory = say("integral pulled back")
        case _:
            memory = say("integral not limited") if law.integrates else say("no integral to wind up")
    return say("{where}: wants {asked}, gives {given}: {memory}", where=where, asked=asked, given=given, memory=memory)


def at_reading(law: model.Pid, at: Sample, degC: float, here: str) -> str:
    """What it would ask for at a reading that stays, in words."""
    asked = _asked_at(law, at, degC)
    given = min(max(asked, law.low), law.high)
    kept = say(", with its integral of {i}", i=show(at.i, Quantity.DRIVE)) if law.integrates else ""
    limited = "" if given == asked else say(" and give {given}, its limit", given=show(given, Quantity.DRIVE))
    return say("at {here}, held there{kept}, it would ask for {asked}{limited}", here=here, kept=kept,
               asked=show(asked, Quantity.DRIVE), limited=limited)  # fmt: skip


def _asked_at(law: model.Pid, at: Sample, degC: float) -> float:
    """As `engine.laws.pid.ask`: the proportional part goes by Kp with the reading, and there is no speed."""
    ahead = law.feed_per_K or 0.0
    terms = at.p - law.kp_per_K * at.direction * (degC - at.measured_degC) + at.i + law.bias
    terms += ahead * (setpoint_followed(law, at) - at.direction * law.feed_from_degC)
    half = law.dead_band / 2
    if abs(terms) <= half:
        return 0.0
    return terms - half if terms > 0 else law.cooling_ratio * (terms + half)


def settings(law: model.Pid, scale: Scale) -> str:
    """What stands on rulers, in a few words, and the bias where it has one."""
    said = on_rulers(law, scale)
    return say("{settings}, bias {bias}", settings=said, bias=show(law.bias, Quantity.DRIVE)) if law.bias else said
