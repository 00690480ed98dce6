"""Remarks: what a careful colleague would say unasked of a rig and its candidates, with numbers and remedies."""

from collections.abc import Callable, Iterator

from kelvarn.engine.measures import Measures
from kelvarn.engine.prepare import RunError
from kelvarn.engine.steady import can_hold, rest_degC
from kelvarn.model.candidate import Candidate
from kelvarn.model.curve import Curve
from kelvarn.model.drives import Fan, Relay, SlowWindow
from kelvarn.model.edit import Path, append, with_fields
from kelvarn.model.on_off import OnOff
from kelvarn.model.pid import Pid
from kelvarn.model.project import Project
from kelvarn.model.set_aside import SetAside
from kelvarn.model.trial import Trial
from kelvarn.units import Quantity, show

from .plant import FirstOrder, Plant, PlantError
from .remark import Remark, setting
from .safety_remarks import safety_remarks
from .starts import plant_of_project
from .swing import swing_of

_SIGMAS = 4.0  # of the noise, that a whole band needs
_OF_LAG = 0.1  # the longest interval and window, as a share of lag and dead time together
_ONLY_JUST = 0.9  # holding drive from which on there is little left for anything else
_WIDER = 1.5  # times its band, from which on a swing is told
_HEARD_HZ = (20.0, 20_000.0)
_FAR_K = 1.0  # between what matters and what is probed
_LEAST_BACK_OFF_K = 0.2
_YEAR = 1.0
_DRIVE = Quantity.DRIVE


def remarks(project: Project, trial: Trial, measures: dict[str, Measures] | None = None) -> list[Remark]:
    """All remarks on a project that are not set aside, those on the rig first.

    Args:
        project, trial: what is looked at.
        measures: of candidates' runs on the trial, by name, as far as they are known.
    """
    try:
        plant: Plant | None = plant_of_project(project, trial)
    except (PlantError, RunError):
        plant = None
    found = [*_of_rig(project, trial, plant), *safety_remarks(project, trial, plant)]
    for index, candidate in enumerate(project.candidates):
        known = (measures or {}).get(candidate.name)
        found += _of_candidate(project, trial, index, candidate, plant, known)
    aside: set[tuple[str | None, str]] = {(None, each.remark) for each in project.rig.set_aside}
    aside |= {(c.name, each.remark) for c in project.candidates for each in c.set_aside}
    return [each for each in found if (each.candidate, each.key) not in aside]


def set_aside(project: Project, remark: Remark, reason: str) -> Project:
    """The project in which a remark is told no more. Raises pydantic.ValidationError without a reason."""
    path: Path = ("rig", "set_aside")
    if remark.candidate is not None:
        place = [candidate.name for candidate in project.candidates].index(remark.candidate)
        path = ("candidates", place, "set_aside")
    return append(project, path, SetAside(remark=remark.key, reason=reason))


def _of_rig(project: Project, trial: Trial, plant: Plant | None) -> Iterator[Remark]:
    rig, setpoint = project.rig, trial.plan.last_degC
    at: Path = ("rig", "drives", 0, "power_W")
    verdict = can_hold(rig, setpoint)
    target = show(setpoint, Quantity.TEMPERATURE)
    if verdict is not None and not verdict.can:
        need = "" if verdict.holding_drive is None else f": it would take {show(abs(verdict.holding_drive), _DRIVE)}"
        yield Remark("cannot hold", None, at, f"The rig cannot hold {target}{need}.")
    elif verdict is not None and verdict.holding_drive is not None and abs(verdict.holding_drive) > _ONLY_JUST:
        share = show(abs(verdict.holding_drive), _DRIVE)
        yield Remark("only just holds", None, at, f"Holding {target} alone takes {share} of the drive.")
    probe = rig.probe
    of_probe: Path = ("rig", "probes", rig.control_index)
    if not probe.lowest_degC <= setpoint <= probe.highest_degC:
        low, high = (show(x, Quantity.TEMPERATURE) for x in (probe.lowest_degC, probe.highest_degC))
        text = f"The setpoint {target} is outside what {probe.name} can read, {low} to {high}."
        yield Remark("outside the probe's range", None, (*of_probe, "highest_degC"), text)
    if isinstance(plant, FirstOrder):
        longest = _OF_LAG * (plant.lag_s + plant.dead_time_s)
        if probe.interval_s > longest:
            every, slow = show(probe.interval_s, Quantity.DURATION), show(plant.lag_s, Quantity.DURATION)
            wanted = float(f"{0.8 * longest:.2g}")
            yield Remark(
                "reads too seldom", None, (*of_probe, "interval_s"),
                f"It reads every {every}, while the rig's lag is {slow}; a tenth of that is slow enough.",
                f"read every {show(wanted, Quantity.DURATION)}", setting((*of_probe, "interval_s"), wanted),
            )  # fmt: skip
        for k, drive in enumerate(rig.drives):
            if isinstance(drive, SlowWindow) and drive.window_s > longest:
                window = show(drive.window_s, Quantity.DURATION)
                text = f"A window of {window} is long for a lag of {show(plant.lag_s, Quantity.DURATION)}: it ripples."
                yield Remark("window too long", None, ("rig", "drives", k, "window_s"), text)
    yield from _of_fans(project)
    yield from _far_away(project, trial)


def _of_fans(project: Project) -> Iterator[Remark]:
    for k, drive in enumerate(project.rig.drives):
        if not isinstance(drive, Fan):
            continue
        at: Path = ("rig", "drives", k)
        if drive.pwm_Hz is not None and _HEARD_HZ[0] <= drive.pwm_Hz < _HEARD_HZ[1]:
            yield Remark(
                "PWM is heard", None, (*at, "pwm_Hz"),
                f"{drive.name} is switched {drive.pwm_Hz:g} times a second, which may be heard; 25 kHz is not.",
                "25 kHz", setting((*at, "pwm_Hz"), 25_000.0),
            )  # fmt: skip
        if drive.idle_flow > 0 and not drive.supply_switch:
            turns = show(drive.idle_flow, _DRIVE)
            yield Remark(
                "turns at 0 %", None, (*at, "supply_switch"),
                f"{drive.name} turns at {turns} when it is asked for none; to stand still it needs a supply switch.",
                "fit a supply switch", setting((*at, "supply_switch"), True),
            )  # fmt: skip


def _far_away(project: Project, trial: Trial) -> Iterator[Remark]:
    """What matters rests somewhere else than what is probed."""
    rig = project.rig
    matters = rig.goal.body if rig.goal is not None else rig.judged_body
    verdict = can_hold(rig, trial.plan.last_degC)
    if matters == rig.probe.body or verdict is None or verdict.holding_drive is None or not verdict.can:
        return
    rest = rest_degC(rig, verdict.holding_drive)
    if rest is None:
        return
    apart = float(rest[rig.body_index(matters)] - rest[rig.body_index(rig.probe.body)])
    if abs(apart) > _FAR_K:
        side = "warmer" if apart > 0 else "colder"
        text = f"{matters} rests {show(abs(apart), Quantity.DIFFERENCE)} {side} than {rig.probe.body}, which is probed."
        yield Remark("far from the probe", None, ("rig", "probes", rig.control_index, "body"), text)


def _of_candidate(
    project: Project, trial: Trial, index: int, candidate: Candidate, plant: Plant | None, known: Measures | None
) -> Iterator[Remark]:
    law, name = candidate.controller, candidate.name
    path: Path = ("candidates", index, "controller")
    if isinstance(law, OnOff):
        yield from _of_on_off(project, trial, name, path, law, known)
    elif isinstance(law, Pid):
        yield from _of_pid(project, name, path, law, plant)
    elif isinstance(law, Curve):
        yield from _of_curve(project, name, path, law)
    life = None if known is None else known.values.get("relay_life_years")
    if life is not None and life < _YEAR and any(isinstance(drive, Relay) for drive in project.rig.drives):
        often = known.values.get("switch_ons_per_h") if known is not None else None
        text = f"At {show(often or 0.0, Quantity.PER_HOUR)} the relay is worn out in {life * 12:.2g} months."
        where = (*path, law.rulers[0]) if law.rulers else path
        yield Remark("relay wears out", name, where, text)


def _of_on_off(
    project: Project, trial: Trial, name: str, path: Path, law: OnOff, known: Measures | None
) -> Iterator[Remark]:
    rig, setpoint = project.rig, trial.plan.last_degC
    probe = rig.probe
    on, off = law.on_off_degC(setpoint, rig.way)
    band, at = abs(off - on), (*path, law.rulers[0])
    least = max(_SIGMAS * probe.noise_K, probe.resolution_K)
    said = show(band, Quantity.DIFFERENCE)
    if band < least - 1e-12:
        why = f"noise {show(probe.noise_K, Quantity.DIFFERENCE)}, steps {show(probe.resolution_K, Quantity.DIFFERENCE)}"
        half = float(f"{least / 2:.2g}")
        remedy: tuple[str, Callable[[Project], Project] | None] = ("", None)
        if law.notation in ("edges", "band"):
            wider = with_fields(law, below_K=half, above_K=half, band_K=half)
            remedy = f"±{show(half, Quantity.DIFFERENCE)}", setting(path, wider)
        text = f"A band of {said} lies inside what the reading scatters by ({why}): it chatters."
        yield Remark("band in the noise", name, at, text, *remedy)
    swing = None if known is None else known.main.values.get("swing_K")
    if swing is not None and band > 0 and swing > _WIDER * band:
        text = (
            f"It swings {show(swing, Quantity.DIFFERENCE)} in a band of {said}: what is stored and delayed goes on "
            "after it has switched; a narrower band helps little."
        )
        yield Remark("swings beyond its band", name, at, text)
    try:
        period_s = swing_of(rig, law, setpoint).period_s
    except (PlantError, RunError):
        return
    for field, word in (("shortest_on_s", "on"), ("shortest_off_s", "off")):
        value = float(getattr(law, field))
        if value > period_s / 2:
            far, cycle = show(value, Quantity.DURATION), show(period_s, Quantity.DURATION)
            text = f"It stays {word} {far} at least, while a cycle takes {cycle} in all: it swings wider for that."
            yield Remark(f"shortest {word} too long", name, (*path, field), text)


def _of_pid(project: Project, name: str, path: Path, law: Pid, plant: Plant | None) -> Iterator[Remark]:
    delay = 0.0 if plant is None else plant.dead_time_s
    if law.integrates and law.ti_s < delay:
        ti, dead = show(law.ti_s, Quantity.DURATION), show(delay, Quantity.DURATION)
        yield Remark(
            "integral time below dead time", name, (*path, "ti_s"),
            f"The memory adds up faster ({ti}) than the rig answers (dead time {dead}).",
            f"Ti {dead}", setting((*path, "ti_s"), float(f"{1.01 * delay:.3g}")),
        )  # fmt: skip
    if law.integrates and law.anti_windup == "none":
        yield Remark(
            "nothing holds the memory", name, (*path, "anti_windup"),
            "Nothing holds its memory back while the drive is at its limit: it winds up and overshoots.",
            "back-calculation", setting((*path, "anti_windup"), "back_calculation"),
        )  # fmt: skip
    for drive in project.rig.drives:
        needs = drive.needs if isinstance(drive, Fan) else 0.0
        if 0 < law.low < needs and getattr(drive, "floor", 0.0) < needs:
            text = f"Its lowest drive {show(law.low, _DRIVE)} is below what {drive.name} needs, {show(needs, _DRIVE)}."
            remedy = f"lowest drive {show(needs, _DRIVE)}"
            yield Remark("below the stall", name, (*path, "low"), text, remedy, setting((*path, "low"), needs))


def _of_curve(project: Project, name: str, path: Path, law: Curve) -> Iterator[Remark]:
    probe = project.rig.probe
    fan = next((drive for drive in project.rig.drives if isinstance(drive, Fan)), None)
    needs = fan.needs if fan is not None and fan.floor < fan.needs else 0.0
    least = max(_LEAST_BACK_OFF_K, _SIGMAS * probe.noise_K, probe.resolution_K)
    if law.shape == "ramp":
        if fan is not None and law.floor < needs:
            yield Remark(
                "below the stall", name, (*path, "floor"),
                f"Its floor {show(law.floor, _DRIVE)} is below what {fan.name} needs, {show(needs, _DRIVE)}.",
                f"floor {show(needs, _DRIVE)}", setting((*path, "floor"), needs),
            )  # fmt: skip
        if law.back_off_K < least:
            yield _no_hysteresis(name, (*path, "back_off_K"), "The ramp", law.back_off_K, least)
        return
    for k, step in enumerate(law.steps):
        at: Path = (*path, "steps", k)
        if fan is not None and 0 < step.drive < needs:
            text = f"Step {k + 1} gives {show(step.drive, _DRIVE)}, less than {fan.name} needs, {show(needs, _DRIVE)}."
            yield Remark(
                f"step {k + 1} below the stall", name, (*at, "drive"), text, f"{show(needs, _DRIVE)}",
                setting((*at, "drive"), needs),
            )  # fmt: skip
        if step.back_off_K < least:
            yield _no_hysteresis(name, (*at, "back_off_K"), f"Step {k + 1}", step.back_off_K, least)


def _no_hysteresis(name: str, path: Path, what: str, back_off_K: float, least_K: float) -> Remark:
    wide = max(2.0, float(f"{least_K:.2g}"))
    text = f"{what} is left {show(back_off_K, Quantity.DIFFERENCE)} behind where it is taken: the fan hunts there."
    key = "no hysteresis" if what == "The ramp" else f"{what.lower()} has no hysteresis"
    return Remark(key, name, path, text, f"back off by {show(wide, Quantity.DIFFERENCE)}", setting(path, wide))
