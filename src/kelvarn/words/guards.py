"""What rules over the law at a sample, in words."""

from kelvarn.engine.guard_codes import alarms_on, guard_of, ruler_at
from kelvarn.engine.guard_records import RULERS, Ruler
from kelvarn.engine.run import Run
from kelvarn.model import guards as model
from kelvarn.sentence import joined, say
from kelvarn.units import Quantity, Scale, show

RULER_WORDS = {
    Ruler.POWER_CUT: say("power cut"),
    Ruler.THERMAL_CUT_OFF: say("thermal cut-off"),
    Ruler.LATCHED_TRIP: say("trip"),
    Ruler.GUARD: say("guard"),
    Ruler.PROBE_FAULT: say("probe fault"),
    Ruler.PERMIT: say("permit"),
    Ruler.OVERRIDE: say("by hand"),
    Ruler.STANDS_STILL: say("no new order"),
    Ruler.NO_READING: say("no reading"),
    Ruler.STOPPED: say("stopped"),
}
"""What the rulers are called, from the strongest."""


def ruler_name(run: Run, code: int) -> str:
    """What a guard code stands for, by its own name where it has one; empty where the law rules."""
    ruler, place = Ruler(code % RULERS), code // RULERS
    match ruler:
        case Ruler.LAW:
            return ""
        case Ruler.LATCHED_TRIP | Ruler.GUARD | Ruler.PROBE_FAULT | Ruler.THERMAL_CUT_OFF:
            return guard_of(run.rig, code).name
        case Ruler.PERMIT:
            return say("no {name}", name=run.rig.permits[place].name)
        case Ruler.OVERRIDE:
            return run.trial.occurrences[place].name
    return RULER_WORDS[ruler]


def rule_text(run: Run, index: int, scale: Scale = Scale.CELSIUS) -> str:
    """One sentence on what rules over the law at a sample; empty where the law rules.

    Args:
        run, index: the sample.
        scale: that the sentence speaks in.
    """
    ruler, place = ruler_at(run, index), int(run.guard_code[index]) // RULERS
    given = show(float(run.drive[index]), Quantity.DRIVE)
    match ruler:
        case Ruler.LAW:
            return ""
        case Ruler.POWER_CUT:
            return say("no power: nothing is measured, nothing given")
        case Ruler.STANDS_STILL:
            return say("no new order: {given} stays as it was", given=given)
        case Ruler.NO_READING:
            return say("no reading: nothing is given")
        case Ruler.STOPPED:
            return say("stopped by hand: nothing heats until it is let go on")
        case Ruler.OVERRIDE:
            event = run.trial.occurrences[place]
            return (
                say("“{event}”: paused", event=event.name)
                if event.kind == "pause"
                else say("held at {given} by hand", given=given)
            )
        case Ruler.PERMIT:
            permit = run.rig.permits[place]
            return say("not allowed: permit “{permit}” ({asks}) is missing", permit=permit.name,
                       asks=permit.text(scale))  # fmt: skip
        case _:
            return _guard(run, index, run.rig.guards[place], scale)


def alarms_text(run: Run, index: int, scale: Scale = Scale.CELSIUS) -> str:
    """The alarms that are on at a sample, in words; empty where none is."""
    return joined("; ", (_alarm(alarm, scale) for alarm in alarms_on(run, index)))


def _alarm(alarm: model.Alarm, scale: Scale) -> str:
    """An alarm that is on."""
    told = {"alarm": alarm.name, "what": alarm.text(scale), "clears": _clears(alarm, scale)}
    if alarm.until == "gone":
        return say("alarm “{alarm}” is on ({what}); clears {clears}", **told)
    return say("alarm “{alarm}” is on ({what}); clears {clears}, once reset is pressed", **told)


def _clears(alarm: model.Alarm, scale: Scale) -> str:
    """When an alarm clears."""
    back = show(alarm.hysteresis_K, Quantity.DIFFERENCE, scale)
    if alarm.watches not in ("high", "low"):
        return say("{back} nearer to the setpoint", back=back)
    level = show(alarm.at_degC, Quantity.TEMPERATURE, scale)
    if alarm.watches == "high":
        return say("{back} below {level}", back=back, level=level)
    return say("{back} above {level}", back=back, level=level)


def load_text(run: Run, index: int, scale: Scale = Scale.CELSIUS) -> str:
    """What has switched off what heats by itself at a sample, in words: it decides no drive. Empty where nothing."""
    said = []
    for place, guard in enumerate(run.rig.guards):
        if run.tripped[index] >> place & 1 and getattr(guard, "does", "") == "load":
            said.append(_guard(run, index, guard, scale))
    return joined("; ", said)


def _guard(run: Run, index: int, guard: model.RuleBase, scale: Scale) -> str:
    """A guard that rules, with what it watches."""
    given = show(float(run.drive[index]), Quantity.DRIVE)
    measured = show(float(run.measured_degC[index]), Quantity.TEMPERATURE, scale)
    match guard:
        case model.Trip():
            probe = [each.name for each in run.rig.probes].index(guard.probe)
            value = float(run.probes_degC[probe, index])
            now, at = (show(x, Quantity.TEMPERATURE, scale) for x in (value, guard.at_degC))
            beyond = value >= guard.at_degC if guard.side == "above" else value <= guard.at_degC
            sign = "≥" if guard.side == "above" else "≤"
            if beyond:
                return say("trip “{guard}”: {probe} {now} {sign} {at}: {does}", guard=guard.name, probe=guard.probe,
                           now=now, sign=sign, at=at, does=_does(guard))  # fmt: skip
            stays = say("stays until reset is pressed") if guard.latches else say("until it is back far enough")
            return say("trip “{guard}”: tripped at {at}, {probe} {now} now: {does}, {stays}", guard=guard.name, at=at,
                       probe=guard.probe, now=now, does=_does(guard), stays=stays)  # fmt: skip
        case model.CutOff():
            now, at = (
                show(value, Quantity.TEMPERATURE, scale)
                for value in (float(run.bodies_degC[run.rig.body_index(guard.body), index]), guard.at_degC)
            )
            until = say("and stays open")
            if guard.resets_K is not None:
                until = say("until {at}", at=show(guard.at_degC - guard.resets_K, Quantity.TEMPERATURE, scale))
            return say("thermal cut-off “{guard}” is open: {body} {now} (opens at {at}), {until}", guard=guard.name,
                       body=guard.body, now=now, at=at, until=until)  # fmt: skip
        case model.ProbeFaultAction():
            return say("probe fault: {probe} shows {measured}: gives {given}", probe=run.rig.probe.name,
                       measured=measured, given=given)  # fmt: skip
        case model.NoRise():
            return say("no response: {guard}; stays off until reset is pressed", guard=guard.text(scale))
        case model.LinkLost():
            return say("watchdog: no order arrives: gives {given}", given=given)
        case model.LongestOn():
            return say("longest on-time: {guard}", guard=guard.text(scale))
        case model.Restart():
            return say(
                "power is back: waits {delay} before anything is given", delay=show(guard.delay_s, Quantity.DURATION)
            )
    return guard.text(scale)


def _does(trip: model.Trip) -> str:
    return model.words_of_field(trip, "does")
