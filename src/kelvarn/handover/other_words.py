"""The same law in the words of other devices: with all that makes it the same, and what it costs to leave that out."""

from collections.abc import Callable, Iterator
from functools import lru_cache, partial
from typing import Any

from kelvarn.engine.measures import Measures, measure
from kelvarn.engine.prepare import RunError
from kelvarn.engine.run import compute
from kelvarn.model.candidate import Candidate
from kelvarn.model.curve import Curve
from kelvarn.model.edit import with_fields
from kelvarn.model.gains import proportional_band_K, to_series
from kelvarn.model.law import Way
from kelvarn.model.on_off import OnOff
from kelvarn.model.pid import Pid
from kelvarn.model.project import Project
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Trial
from kelvarn.units import Quantity, Scale, show, to_shown, usual_unit

from .settings import SheetRow, parallel, working_setpoint


def other_words(project: Project, candidate: Candidate, trial: Trial, scale: Scale) -> list[SheetRow]:
    """The same law in the words of other devices; where no equivalent exists, the reason."""
    of_law = _OTHER_WORDS.get(type(candidate.controller))
    return of_law(project, candidate.controller, trial, scale) if of_law is not None else []


def _of_on_off(project: Project, c: OnOff, trial: Trial, scale: Scale) -> list[SheetRow]:
    setpoint = working_setpoint(project, trial)
    on, off = c.on_off_degC(setpoint, project.rig.way)
    width = abs(off - on)
    degrees = partial(show, quantity=Quantity.TEMPERATURE, scale=scale, exact=True)
    kelvins = partial(show, quantity=Quantity.DIFFERENCE, scale=scale, exact=True)
    return [
        SheetRow(f"Cut-in and cut-out at setpoint {degrees(setpoint)}", f"{degrees(on)}, {degrees(off)}"),
        SheetRow("Symmetric band", f"{degrees((on + off) / 2)} ±{kelvins(width / 2)}"),
        SheetRow("Cut-out and differential", f"{degrees(off)}, {kelvins(width)}"),
    ]


def _of_curve(project: Project, c: Curve, trial: Trial, scale: Scale) -> list[SheetRow]:
    """The steps as a table; one line a step."""
    del trial
    if c.shape == "ramp":
        return []
    degrees = partial(show, quantity=Quantity.TEMPERATURE, scale=scale, exact=True)
    sign = project.rig.way.sign
    return [
        SheetRow(f"Step {k}", f"{show(step.drive, Quantity.DRIVE)} from {degrees(step.from_degC)}, "
                         f"left at {degrees(step.from_degC + sign * step.back_off_K)}")
        for k, step in enumerate(c.steps, start=1)
    ]  # fmt: skip


def _of_pid(project: Project, c: Pid, trial: Trial, scale: Scale) -> list[SheetRow]:
    interval_s, way = project.rig.probe.interval_s, project.rig.way
    gains, unit = parallel(c), usual_unit(Quantity.DIFFERENCE, scale)
    per = 1 / to_shown(1.0, Quantity.DIFFERENCE, scale)  # what is per kelvin, per unit shown
    filter_s = c.acting_td_s / c.filter_n
    filtered = f", filter {filter_s:.4g} s" if filter_s else ""
    both = way.both and c.low < 0
    every = show(interval_s, Quantity.DURATION)
    rows = [
        SheetRow("Belongs to each of these", "; ".join(_besides(c, way, scale))),
        SheetRow("Proportional band", f"{proportional_band_K(c.kp_per_K) / per:.4g} {unit}"),
        SheetRow(f"Gain in % per {unit}", f"{100 * c.kp_per_K * per:.4g}"),
        SheetRow(
            "Parallel form Kp, Ki, Kd",
            f"{gains.kp_per_K * per:.4g} 1/{unit}, {gains.ki_per_Ks * per:.4g} 1/({unit}·s), "
            f"{gains.kd_s_per_K * per:.4g} s/{unit}{filtered}",
        ),
        SheetRow(
            f"Per sample of {every}, output {'−255' if both else '0'}…255", _per_sample(c, interval_s, per, unit, way)
        ),
    ]
    if c.integrates:
        rows.append(SheetRow("Series form Kp, Ti, Td", _series(c, filter_s, per, unit)))
    return rows + list(_costs(project, c, trial, scale))


def _besides(c: Pid, way: Way, scale: Scale) -> Iterator[str]:
    """What must be there for it to be the same law, beside its gains."""
    kelvins = partial(show, quantity=Quantity.DIFFERENCE, scale=scale)
    yield "more drive for a lower reading" if way.sign > 0 else "more drive for a higher reading"
    if c.acting_weight != 1:
        yield f"the gain sees {c.acting_weight:g} · setpoint − reading"
    if c.acting_td_s:
        sees = f"{c.derivative_weight:g} · setpoint − reading" if c.derivative_weight else "the reading only"
        yield f"the speed term sees {sees}"
    low, high = c.range_of_drive(way)
    yield f"output held within {show(low, Quantity.DRIVE)} to {show(high, Quantity.DRIVE)}"
    if c.bias:
        yield f"bias {show(c.bias, Quantity.DRIVE)}"
    if c.integrates:
        yield _windup(c)
        if c.zone_K is not None:
            yield f"integral acts within {kelvins(c.zone_K)} of the setpoint"
        for limit, word in ((c.memory_low, "at least"), (c.memory_high, "at most")):
            if limit is not None:
                yield f"integral {word} {show(limit, Quantity.DRIVE)}"
    yield from _options(c, way, scale)


def _options(c: Pid, way: Way, scale: Scale) -> Iterator[str]:
    """Of these, what is not always there."""
    if c.rate_per_s is not None:
        yield f"output changes by at most {show(c.rate_per_s, Quantity.DRIVE_RATE)}"
    if c.setpoint_rate_K_per_s is not None:
        yield f"setpoint moves by at most {show(c.setpoint_rate_K_per_s, Quantity.RAMP, scale)}"
    if c.feed_per_K is not None:
        at = show(c.feed_from_degC, Quantity.TEMPERATURE, scale)
        yield f"feed-forward {show(c.feed_per_K, Quantity.GAIN, scale)} from {at}"
    if way.both and c.low < 0:
        yield f"below 0 it cools, with {c.cooling_ratio:g} times the gain"
        if c.dead_band:
            yield f"dead band {show(c.dead_band, Quantity.DRIVE)} round 0"


def _windup(c: Pid) -> str:
    """What its memory does at a limit."""
    if c.anti_windup == "back_calculation":
        return f"anti-windup by back-calculation, tracking time {show(c.acting_tracking_s, Quantity.DURATION)}"
    return "the integral is held while the output is limited" if c.anti_windup == "hold" else "no anti-windup"


def _per_sample(c: Pid, interval_s: float, per: float, unit: str, way: Way) -> str:
    """A loop that adds up samples; its speed term is filtered by keeping a part of the last one."""
    gains, filter_s = parallel(c), c.acting_td_s / c.filter_n
    error = "setpoint − reading" if way.sign > 0 else "reading − setpoint"
    seen = error if c.acting_weight == 1 else error.replace("setpoint", f"{c.acting_weight:g} · setpoint")
    text = f"Kp {255 * gains.kp_per_K * per:.4g} per {unit} on ({seen})"
    if c.integrates:
        text += f"; I ← I + {255 * gains.ki_per_Ks * interval_s * per:.4g} · ({error})"
        if c.anti_windup == "back_calculation":
            text += f" + {interval_s / c.acting_tracking_s:.4g} · (given − asked)"
        elif c.anti_windup == "hold":
            text += " while not limited"
    if not gains.kd_s_per_K:
        return text
    kd = 255 * gains.kd_s_per_K / (filter_s + interval_s) * per
    keep = filter_s / (filter_s + interval_s)
    went = "last reading − this one" if way.sign > 0 else "this reading − the last one"
    if c.derivative_weight:
        went = f"change of {error.replace('setpoint', f'{c.derivative_weight:g} · setpoint')}"
    return f"{text}; D ← {keep:.4g} · D + {kd:.4g} · ({went})"


def _costs(project: Project, c: Pid, trial: Trial, scale: Scale) -> Iterator[SheetRow]:
    """What it costs where a device lacks the setpoint weight or the anti-windup, by runs of the trial."""
    lacks: dict[str, Any] = {}
    if c.acting_weight != 1:
        lacks["setpoint weight"] = {"setpoint_weight": 1.0}
    if c.integrates and c.anti_windup != "none":
        lacks["anti-windup"] = {"anti_windup": "none"}
    if len(lacks) == 2:
        lacks["either"] = {"setpoint_weight": 1.0, "anti_windup": "none"}
    for what, fields in lacks.items():
        if text := _compared(project.rig, c, with_fields(c, **fields), trial, scale):
            yield SheetRow(f"On a device without {what}", text)


@lru_cache(maxsize=32)
def _compared(rig: Rig, law: Pid, bare: Pid, trial: Trial, scale: Scale) -> str:
    """What another law does on a trial beside the one that was chosen; empty where it cannot be run."""
    try:
        now, then = (measure(compute(rig, each, trial)) for each in (law, bare))
    except RunError:
        return ""
    if then.ended is not None:
        return f"a guard ends the run after {show(then.ended[1], Quantity.DURATION)}"
    said = [_over(now, then, scale)]
    for body in rig.all_bodies:
        hottest = then.hottest_degC[body.name]
        if body.limit_degC is not None and hottest > body.limit_degC:
            degrees, limit = (show(x, Quantity.TEMPERATURE, scale) for x in (hottest, body.limit_degC))
            said.append(f"{body.name} gets to {degrees}, beyond its limit of {limit}")
    return "; ".join(said)


def _over(now: Measures, then: Measures, scale: Scale) -> str:
    """How far both overshoot."""
    over = [each.main.values.get("overshoot_K") for each in (now, then)]
    first, last = ("no" if x is None else show(x, Quantity.DIFFERENCE, scale) for x in over)
    return f"{last} over instead of {first} on this trial"


def _series(c: Pid, filter_s: float, per: float, unit: str) -> str:
    """The series form with what must be set besides for the same answer to a setpoint change."""
    if c.acting_td_s and c.derivative_weight:
        return "no series form: its speed term does not see the setpoint; set the speed weight c to 0 for one"
    try:
        series = to_series(c.kp_per_K, c.ti_s, c.acting_td_s, filter_s)
    except ValueError as error:
        return str(error)
    text = f"{series.kp_per_K * per:.4g} 1/{unit}, {series.ti_s:.4g} s, {series.td_s:.4g} s"
    if filter_s:
        text += f", filter {filter_s:.4g} s, speed of the reading only"
    return f"{text}; setpoint weight {c.acting_weight * c.kp_per_K / series.kp_per_K:.4g}"


_OTHER_WORDS: dict[type, Callable[[Project, Any, Trial, Scale], list[SheetRow]]] = {
    OnOff: _of_on_off,
    Pid: _of_pid,
    Curve: _of_curve,
}
