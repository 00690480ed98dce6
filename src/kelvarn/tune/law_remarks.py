"""Remarks on the settings of a law: what they cannot do on this rig."""

import math
from collections.abc import Callable, Iterator
from typing import Any

from kelvarn.engine.measures import Measures
from kelvarn.engine.prepare import RunError
from kelvarn.model.curve import Curve
from kelvarn.model.drives import Fan, Pwm, SlowWindow
from kelvarn.model.edit import Path, with_fields
from kelvarn.model.on_off import OnOff
from kelvarn.model.pid import Pid
from kelvarn.model.project import Project
from kelvarn.sentence import figures, say
from kelvarn.studies.batch import Case, CaseResult, run_many
from kelvarn.studies.margins import missed
from kelvarn.units import Quantity, show

from .look import Look
from .process import FirstOrder, PlantError
from .remark import Remark, setting
from .reserve import least_reserve
from .swing import scatter_K, swing_of

_BEYOND = 4.0  # times its band, from which on a swing is told where no mark speaks of it
_LEAST_BACK_OFF_K = 0.2
_SAME = 0.01  # of drive
_TOO_MUCH, _TOO_LITTLE = 1.5, 1 / 3.0  # times what holds, of feed-forward
_SLOW = 10.0  # lags, after which a memory still works on what is left
_NEAR = 1.05  # of gain: a reserve of less is none
_OF_BAND = 2.0  # or of a kelvin: what full drive may move it by while it waits
_RINGING_MS = 4.0  # peak sensitivity; 1.4 to 2 is usual (Åström and Hägglund, 2006, section 4.6)
_OF_SWING = ("swing_K", "overshoot_K", "worst_over_K", "worst_under_K", "steady_error_K")


def of_on_off(look: Look, name: str, path: Path, law: OnOff, known: Measures | None) -> Iterator[Remark]:
    """On on/off: a band that is none, swings far beyond it, times that are longer than its cycle."""
    probe = look.rig.probe
    on, off = law.on_off_degC(look.setpoint, look.rig.way)
    band, at = abs(off - on), (*path, law.rulers[0])
    least = scatter_K(probe)
    said = look.kelvins(band)
    if band < least - 1e-12:
        why = say("noise {noise}, steps {steps}", noise=look.kelvins(probe.noise_K),
                  steps=look.kelvins(probe.resolution_K))  # fmt: skip
        half = float(f"{least / 2:.2g}")
        remedy: tuple[str, Callable[[Project], Project] | None] = ("", None)
        if law.notation in ("edges", "band"):
            wider = with_fields(law, below_K=half, above_K=half, band_K=half)
            remedy = f"±{look.kelvins(half)}", setting(path, wider)
        text = say(
            "A hysteresis of {band} is smaller than the reading's noise ({why}): it will chatter.", band=said, why=why
        )
        yield Remark("band in the noise", name, at, text, *remedy)
    swing = None if known is None else known.main.values.get("swing_K")
    if swing is not None and band > 0 and _swing_matters(look, swing, band):
        text = say("It swings {swing} in a band of {band}: what is stored and delayed goes on after it "
                   "has switched; a narrower band helps little.", swing=look.kelvins(swing), band=said)  # fmt: skip
        yield Remark("swings beyond its band", name, at, text)
    period = None if known is None else known.main.values.get("swing_period_s")
    cycle = _cycle_s(look, law, period)
    for field, word in (("shortest_on_s", "on"), ("shortest_off_s", "off")):
        value = float(getattr(law, field))
        if cycle is not None and value > cycle / 2:
            far = look.span(value)
            text = say("It stays {word} {far} at least, while a cycle takes {span}: it swings wider for that.",
                       word=word, far=far, span=look.span(cycle))  # fmt: skip
            yield Remark(f"shortest {word} too long", name, (*path, field), text)
    for field, does in (
        ("decide_every_s", say("decides only every")),
        ("confirm_s", say("waits before it switches for")),
    ):
        value = float(getattr(law, field))
        pushes = _pushes_K(look, value)
        if pushes is not None and pushes > _OF_BAND * max(band, 1.0):
            text = say("It {does} {span}; in that time full drive moves it by {kelvins}.", does=does,
                       span=look.span(value), kelvins=look.kelvins(pushes))  # fmt: skip
            yield Remark(f"{field.split('_')[0]} too long", name, (*path, field), text)


def _swing_matters(look: Look, swing: float, band: float) -> bool:
    """Whether a swing beyond its band is worth a word: it misses a mark, or is far beyond where none speaks of it."""
    limits = [mark.limit for mark in look.trial.marks if mark.measure == "swing_K" and mark.direction == "at_most"]
    if limits:
        return swing > min(limits) and swing > 1.5 * band
    return swing > _BEYOND * band and not any(mark.measure in _OF_SWING for mark in look.trial.marks)


def _cycle_s(look: Look, law: OnOff, period_s: float | None) -> float | None:
    """Time of a cycle without delays of its own: as its run shows it, which is no shorter, or by one lag."""
    try:
        return swing_of(look.rig, with_fields(law, shortest_on_s=0.0, shortest_off_s=0.0), look.setpoint).period_s
    except (PlantError, RunError):
        return period_s


def _pushes_K(look: Look, seconds: float) -> float | None:
    """How far full drive moves the rig near the setpoint in a time, K; None where that is not known, or no time."""
    if not isinstance(look.plant, FirstOrder) or seconds <= 0:
        return None
    away = 0.0 if look.rests_without is None else abs(look.setpoint - look.rests_without)
    rate = max(look.plant.gain_K - away, away) / look.plant.lag_s
    return rate * min(seconds, look.plant.lag_s)


def of_pid(look: Look, name: str, path: Path, law: Pid, _known: Measures | None) -> Iterator[Remark]:
    """On P, PI and PID: limits that cannot hold, memories that cannot act, gains that ring."""
    yield from _limits(look, name, path, law)
    yield from _gains(look, name, path, law)
    yield from _feed(look, name, path, law)
    if law.integrates and law.anti_windup == "none":
        yield Remark(
            "nothing holds the memory", name, (*path, "anti_windup"),
            say("Nothing limits its integral while the drive is at its limit: it winds up and overshoots."),
            "back-calculation", setting((*path, "anti_windup"), "back_calculation"),
        )  # fmt: skip
    yield from _fans_that_stand(look, name, path, law)
    yield from _least_drive(look, name)


def _limits(look: Look, name: str, path: Path, law: Pid) -> Iterator[Remark]:
    """Limits of the drive and of the memory that keep from holding the setpoint; a zone that is not come to."""
    holds = look.holding
    if holds is None:
        return
    low, high = law.range_of_drive(look.rig.way)
    target = say("holding {degc} takes {share}", degc=look.degC(look.setpoint), share=look.share(holds))
    if holds > high + _SAME:
        yield Remark(
            "highest drive cannot hold",
            name,
            (*path, "high"),
            say("Its highest drive is {share}; {target}.", share=look.share(high), target=target),
        )
    if holds < low - _SAME:
        yield Remark(
            "lowest drive is too much",
            name,
            (*path, "low"),
            say("Its lowest drive is {share}; {target}.", share=look.share(low), target=target),
        )
    if not law.integrates:
        return
    ahead = (law.feed_per_K or 0.0) * look.rig.way.sign * (look.setpoint - law.feed_from_degC)
    # At rest at the setpoint Kp (b − 1) r is part of what is asked for; the memory makes up for it.
    needs = holds - law.bias - ahead + law.kp_per_K * (1 - law.setpoint_weight) * look.rig.way.sign * look.setpoint
    for field, limit, beyond in (
        ("memory_high", law.memory_high, law.memory_high is not None and needs > law.memory_high + _SAME),
        ("memory_low", law.memory_low, law.memory_low is not None and needs < law.memory_low - _SAME),
    ):
        if beyond:
            text = say("Its integral would have to come to {share} to hold {degc}", share=look.share(needs),
                       degc=look.degC(look.setpoint))  # fmt: skip
            yield Remark(f"{field.replace('_', ' ')} cannot hold", name, (*path, field),
                         say("{needs}, and its limit is {share}: it stays off.", needs=text,
                             share=look.share(limit or 0.0)))  # fmt: skip
    gap = None if look.rests_without is None else abs(look.setpoint - look.rests_without)
    if law.zone_K is not None and gap:
        left = (holds - law.bias - ahead) / (law.kp_per_K + holds / gap)
        if left > law.zone_K:
            text = say("Without its integral it stays {left} away, and the integral acts only within "
                       "{zone}: it never comes there.", left=look.kelvins(left),
                       zone=look.kelvins(law.zone_K))  # fmt: skip
            yield Remark("zone is never reached", name, (*path, "zone_K"), text)


def _gains(look: Look, name: str, path: Path, law: Pid) -> Iterator[Remark]:
    """Times out of proportion, and gains that the loop does not stand."""
    delay = 0.0 if look.plant is None else look.plant.dead_time_s
    if law.integrates and law.ti_s < delay:
        ti, dead = look.span(law.ti_s), look.span(delay)
        text = say(
            "Integral time {ti} is shorter than the apparent dead time read off the step, {dead}.", ti=ti, dead=dead
        )
        longer = [float(f"{times * delay:.3g}") for times in (1.01, 2.0, 4.0, 8.0)]
        best = _best(look, [with_fields(law, ti_s=each) for each in longer]).ti_s
        yield Remark(
            "integral time below dead time", name, (*path, "ti_s"), text,
            say("Ti {span}", span=look.span(best)), setting((*path, "ti_s"), best),
        )  # fmt: skip
    if law.integrates and look.lag_s is not None and law.ti_s > _SLOW * look.lag_s:
        text = say("Integral time {ti} is {times} times the rig's lag, {lag}: what is left takes very long to go.",
                   ti=look.span(law.ti_s), times=figures(f"{law.ti_s / look.lag_s:.0f}", ""),
                   lag=look.span(look.lag_s))  # fmt: skip
        yield Remark("integral time far too long", name, (*path, "ti_s"), text)
    if law.integrates and law.acting_td_s > law.ti_s:
        text = say("Derivative time {td} is longer than the integral time {ti}.", td=look.span(law.td_s),
                   ti=look.span(law.ti_s))  # fmt: skip
        yield Remark("derivative time above integral time", name, (*path, "td_s"), text)
    try:
        least = least_reserve(look.rig, law, (look.trial,))
    except PlantError:
        return
    factor, ms = least.reserve.gain_factor, least.reserve.ms
    at = look.degC(least.setpoint_degC)
    if factor is not None and factor < _NEAR:
        text = say(
            "At {at} it oscillates: the loop stands ×{factor} of this gain.", at=at, factor=figures(f"{factor:.2g}", "")
        )
        yield Remark("gain beyond what it stands", name, (*path, "kp_per_K"), text)
    elif ms is not None and ms > _RINGING_MS:
        text = say("At {at} it comes close to oscillating: its sensitivity peaks at {ms}, where 2 is usual at most.",
                   at=at, ms=figures(f"{ms:.3g}", ""))  # fmt: skip
        yield Remark("close to oscillating", name, (*path, "kp_per_K"), text)


def _best(look: Look, laws: list[Pid]) -> Pid:
    """Of laws that which misses the marks least, then that which is least away from the setpoint."""

    def cost(result: CaseResult) -> tuple[float, float]:
        area = None if result.measures is None else result.measures.main.values["iae_Ks"]
        return missed(result, look.rig), math.inf if area is None else area

    results = list(run_many(Case(None, look.rig, law, look.trial) for law in laws))
    return laws[min(range(len(laws)), key=lambda k: cost(results[k]))]


def _feed(look: Look, name: str, path: Path, law: Pid) -> Iterator[Remark]:
    """Feed-forward that gives far more or less than what holds; rate limits and setpoint ramps that take too long."""
    holds = look.holding
    if law.feed_per_K is not None and holds:
        given = law.bias + law.feed_per_K * look.rig.way.sign * (look.setpoint - law.feed_from_degC)
        if not _TOO_LITTLE < given / holds < _TOO_MUCH:
            text = say("Feed-forward gives {given} at {degc}, where {holds} holds it.", given=look.share(given),
                       degc=look.degC(look.setpoint), holds=look.share(holds))  # fmt: skip
            yield Remark("feed-forward is off", name, (*path, "feed_per_K"), text)
    if law.rate_per_s is not None and look.lag_s is not None and 1 / law.rate_per_s > look.lag_s:
        takes = look.span(1 / law.rate_per_s)
        text = say("From none to full its rate limit takes {takes}, longer than the rig's lag of {span}.", takes=takes,
                   span=look.span(look.lag_s))  # fmt: skip
        yield Remark("rate limit too slow", name, (*path, "rate_per_s"), text)
    rests = look.rests_without
    if law.setpoint_rate_K_per_s is not None and rests is not None:
        takes_s = abs(look.setpoint - rests) / law.setpoint_rate_K_per_s
        if takes_s > look.trial.duration_s:
            text = say("Its setpoint ramp takes {span}, longer than the trial.", span=look.span(takes_s))
            yield Remark("setpoint ramp too long", name, (*path, "setpoint_rate_K_per_s"), text)


def _fans_that_stand(look: Look, name: str, path: Path, law: Pid) -> Iterator[Remark]:
    """Fans that are asked to turn and do not."""
    for place, drive in enumerate(look.rig.drives):
        if not isinstance(drive, Fan) or drive.floor >= drive.needs:
            continue
        needs, turns, least = drive.needs, _turns_from(drive), max(drive.floor, drive.acting_off_below)
        if 0 < law.low < needs:
            text = say("Its lowest drive {lowest} is below what {drive} needs, {needs}.", lowest=look.share(law.low),
                       drive=drive.name, needs=look.share(needs))  # fmt: skip
            remedy = say("lowest drive {share}", share=look.share(needs))
            yield Remark("below the stall", name, (*path, "low"), text, remedy, setting((*path, "low"), needs))
        elif law.low <= 0 and turns > least + _SAME:
            text = say("On at {least} {drive} stands still until {turns}: asked to turn, it does not.",
                       least=look.share(least), drive=drive.name, turns=look.share(turns))  # fmt: skip
            at: Path = ("rig", "drives", place, "floor")
            mended = setting(at, min(turns, 0.95))
            yield Remark(
                "fan stands while asked", name, at, text, say("floor {share}", share=look.share(turns)), mended
            )


def _least_drive(look: Look, name: str) -> Iterator[Remark]:
    """Drives whose least output is more than what holds the setpoint."""
    holds = look.holding
    for k, drive in enumerate(look.rig.drives):
        field, least = "floor", drive.floor if isinstance(drive, Pwm) else 0.0
        if isinstance(drive, SlowWindow):
            field, least = "shortest_pulse_s", drive.shortest_pulse_s / drive.window_s
        if holds is not None and 0 < holds < least:
            text = say("The least that {drive} gives is {least}; holding {degc} takes {holds}: it can only "
                       "switch to and fro.", drive=drive.name, least=look.share(least), degc=look.degC(look.setpoint),
                       holds=look.share(holds))  # fmt: skip
            yield Remark("least pulse above what holds", name, ("rig", "drives", k, field), text)


def _turns_from(fan: Fan) -> float:
    """The output from which on a fan surely turns: a kick-start sees to it that it starts."""
    return (fan.stalls_below if fan.kick_start_s > 0 else fan.needs) / fan.volts


def of_curve(look: Look, name: str, path: Path, law: Curve, _known: Measures | None) -> Iterator[Remark]:
    """On curves: floors below the stall, no hysteresis, and full drive only beyond a limit."""
    probe = look.rig.probe
    fan = next((drive for drive in look.rig.drives if isinstance(drive, Fan)), None)
    needs = fan.needs if fan is not None and fan.floor < fan.needs else 0.0
    least = max(_LEAST_BACK_OFF_K, scatter_K(probe))
    full = law.full_degC if law.shape == "ramp" else law.steps[-1].from_degC
    where: Path = (*path, "full_degC") if law.shape == "ramp" else (*path, "steps", len(law.steps) - 1, "from_degC")
    limit = look.limit_of(probe.body)
    if not look.rig.heats and limit is not None and full >= limit:
        text = say("It is full only at {degc}, not below {body}'s limit of {limit}.", degc=look.degC(full),
                   body=probe.body, limit=look.degC(limit))  # fmt: skip
        yield Remark("full beyond the limit", name, where, text)
    if law.shape == "ramp":
        if fan is not None and law.floor < needs:
            yield Remark(
                "below the stall", name, (*path, "floor"),
                say("Its floor {floor} is below what {fan} needs, {needs}.", floor=look.share(law.floor),
                    fan=fan.name, needs=look.share(needs)),
                say("floor {share}", share=look.share(needs)), setting((*path, "floor"), needs),
            )  # fmt: skip
        if law.back_off_K < least:
            yield _no_hysteresis(look, name, (*path, "back_off_K"), "The ramp", law.back_off_K, least)
        return
    for k, step in enumerate(law.steps):
        at: Path = (*path, "steps", k)
        if fan is not None and 0 < step.drive < needs:
            text = say("Step {k} gives {gives}, less than {fan} needs, {needs}.", k=k + 1,
                       gives=look.share(step.drive), fan=fan.name, needs=look.share(needs))  # fmt: skip
            yield Remark(
                f"step {k + 1} below the stall", name, (*at, "drive"), text, f"{look.share(needs)}",
                setting((*at, "drive"), needs),
            )  # fmt: skip
        if step.back_off_K < least:
            yield _no_hysteresis(look, name, (*at, "back_off_K"), say("Step {k}", k=k + 1), step.back_off_K, least)


def _no_hysteresis(look: Look, name: str, path: Path, what: str, back_off_K: float, least_K: float) -> Remark:
    wide = max(2.0, float(f"{least_K:.2g}"))
    text = say("{what} is left {kelvins} behind where it is taken: the fan hunts there.", what=what,
               kelvins=look.kelvins(back_off_K))  # fmt: skip
    key = "no hysteresis" if what == "The ramp" else f"{what.lower()} has no hysteresis"
    return Remark(
        key, name, path, text, say("hysteresis of {kelvins}", kelvins=look.kelvins(wide)), setting(path, wide)
    )


def lasting(years: float) -> str:
    """A life in years, months or days: 5 days, not 0.18 months."""
    if years > 100:
        return say("more than 100 years")
    for size, unit in ((1.0, "years"), (12.0, "months"), (365.25, "days")):
        if years * size >= 2:
            return figures(f"{years * size:.2g}", unit)
    return say("under 2 days")


def worn_text(often: float, years: float) -> str:
    """How soon a relay is worn out."""
    return say("At {often}, day and night, the relay is worn out in {lasting}.", often=show(often, Quantity.PER_HOUR),
               lasting=lasting(years))  # fmt: skip


OF_LAW: dict[type, Callable[[Look, str, Path, Any, Measures | None], Iterator[Remark]]] = {
    OnOff: of_on_off, Pid: of_pid, Curve: of_curve,
}  # fmt: skip
"""Remarks on each law; of a drive set by hand there are none."""
