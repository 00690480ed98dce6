"""Remarks: what a careful colleague would say unasked of a rig and its candidates, with numbers and remedies."""

from collections.abc import Iterator

from kelvarn.engine.measures import Measures
from kelvarn.engine.prepare import RunError
from kelvarn.model.candidate import Candidate
from kelvarn.model.drives import Fan, Relay, SlowWindow
from kelvarn.model.edit import Path, append
from kelvarn.model.project import Project
from kelvarn.model.set_aside import SetAside
from kelvarn.model.trial import Trial
from kelvarn.sentence import figures, say
from kelvarn.units import Scale

from .ice_remarks import ice_remarks
from .law_remarks import OF_LAW, worn_text
from .look import Look
from .plan_remarks import plan_remarks
from .process import FirstOrder, Plant, PlantError
from .remark import Remark, setting
from .safety_remarks import safety_remarks
from .starts import plant_of_project

_OF_LAG = 0.1  # the longest interval and window, as a share of lag and dead time together
_ONLY_JUST = 0.9  # holding drive from which on there is little left for anything else
_TOLD = 4.0  # times full drive: a need beyond that is not told in figures
_OF_NOTHING = 0.003  # of the lag: less is no dead time
_OF_DELAY, _OF_QUICK = 4.0, 0.015  # times the dead time, and of the lag: a longer time between readings is too long
_HEARD_HZ = (20.0, 20_000.0)
_FAR_K = 1.0  # between what matters and what is probed
_LEAST_YEARS = 0.25  # of a relay that works day and night: most rigs do not


def remarks(
    project: Project, trial: Trial, measures: dict[str, Measures] | None = None, scale: Scale = Scale.CELSIUS
) -> list[Remark]:  # fmt: skip
    """All remarks on a project that are not set aside, those on the rig first.

    Args:
        project, trial: what is looked at.
        measures: of candidates' runs on the trial, by name, as far as they are known.
        scale: in which they speak; a project of another quantity has its own.
    """
    try:
        plant: Plant | None = plant_of_project(project, trial)
    except (PlantError, RunError):
        plant = None
    look = Look(project, trial, plant, project.scale or scale)
    found = [*_of_rig(look), *safety_remarks(look), *plan_remarks(look)]
    for index, candidate in enumerate(project.candidates):
        known = (measures or {}).get(candidate.name)
        found += _of_candidate(look, index, candidate, known)
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


def _of_rig(look: Look) -> Iterator[Remark]:
    yield from _holds(look)
    rig, probe = look.rig, look.rig.probe
    of_probe: Path = ("rig", "probes", rig.control_index)
    if not probe.lowest_degC <= look.setpoint <= probe.highest_degC:
        low, high = look.degC(probe.lowest_degC), look.degC(probe.highest_degC)
        text = say("The setpoint {degc} is outside what {probe} can read, {low} to {high}.",
                   degc=look.degC(look.setpoint), probe=probe.name, low=low, high=high)  # fmt: skip
        yield Remark("outside the probe's range", None, (*of_probe, "highest_degC"), text)
    if isinstance(look.plant, FirstOrder):
        yield from _too_slow(look, look.plant)
    yield from _of_fans(look)
    yield from _far_away(look)


def _holds(look: Look) -> Iterator[Remark]:
    """Whether the drives can hold the setpoint; where it rests on the good side of it they need not."""
    at: Path = ("rig", "drives", 0, "power_W")
    verdict, rests, rig = look.verdict, look.rests_without, look.rig
    if verdict is None:
        return
    holds, target = verdict.holding_drive, look.degC(look.setpoint)
    if not verdict.can:
        if not rig.way.both and rests is not None and rig.way.sign * (rests - look.setpoint) >= 0:
            return
        need = "" if holds is None else say(": it would take {share}", share=look.share(abs(holds)))
        if holds is not None and abs(holds) > _TOLD:
            need = say(": it would take more than {told} times what the drives have", told=figures(f"{_TOLD:.0f}", ""))
        yield Remark("cannot hold", None, at, say("The rig cannot hold {target}{need}.", target=target, need=need))
    elif holds is not None and abs(holds) > _ONLY_JUST:
        yield Remark(
            "only just holds",
            None,
            at,
            say("Holding {target} alone takes {share} of the drive.", target=target, share=look.share(abs(holds))),
        )


def _too_slow(look: Look, plant: FirstOrder) -> Iterator[Remark]:
    """Readings and windows that are long for the lag, or for a dead time that a quick law could use."""
    rig, probe = look.rig, look.rig.probe
    longest, delay = _OF_LAG * (plant.lag_s + plant.dead_time_s), plant.dead_time_s
    at: Path = ("rig", "probes", rig.control_index, "interval_s")
    every, slow = look.span(probe.interval_s), look.span(plant.lag_s)
    if probe.interval_s > longest:
        wanted = float(f"{0.8 * longest:.2g}")
        yield Remark(
            "reads too seldom", None, at,
            say("It reads every {every}, while the rig's lag is {slow}; a tenth will do.", every=every, slow=slow),
            say("read every {span}", span=look.span(wanted)), setting(at, wanted),
        )  # fmt: skip
    elif _long_for(probe.interval_s, plant):
        wanted = float(f"{max(delay, _OF_QUICK * plant.lag_s):.2g}")
        yield Remark(
            "reads too seldom for the dead time", None, at,
            say("It reads every {every}, while the dead time is only {delay}: it loses most by reading.", every=every,
                delay=look.span(delay)),
            say("read every {span}", span=look.span(wanted)), setting(at, wanted),
        )  # fmt: skip
    for k, drive in enumerate(rig.drives):
        if isinstance(drive, SlowWindow) and (drive.window_s > longest or _long_for(drive.window_s, plant)):
            text = say(
                "A window of {span} is long for a lag of {slow}: it ripples.", span=look.span(drive.window_s), slow=slow
            )
            if drive.window_s <= longest:
                text = say("A window of {window} is long for a dead time of {delay}.", window=look.span(drive.window_s),
                           delay=look.span(delay))  # fmt: skip
            yield Remark("window too long", None, ("rig", "drives", k, "window_s"), text)


def _long_for(span_s: float, plant: FirstOrder) -> bool:
    """Whether a time is long for the dead time, of a rig that is quick enough for that to matter."""
    return (
        span_s > _OF_DELAY * plant.dead_time_s
        and span_s > _OF_QUICK * plant.lag_s
        and plant.dead_time_s > _OF_NOTHING * plant.lag_s
    )


def _of_fans(look: Look) -> Iterator[Remark]:
    for k, drive in enumerate(look.rig.drives):
        if not isinstance(drive, Fan):
            continue
        at: Path = ("rig", "drives", k)
        if drive.pwm_Hz is not None and _HEARD_HZ[0] <= drive.pwm_Hz < _HEARD_HZ[1]:
            yield Remark(
                "PWM is heard", None, (*at, "pwm_Hz"),
                say("{drive} is switched {times} times a second, which may be heard; 25 kHz is not.", drive=drive.name,
                    times=figures(f"{drive.pwm_Hz:g}", "")),
                "25 kHz", setting((*at, "pwm_Hz"), 25_000.0),
            )  # fmt: skip
        if drive.idle_flow > 0 and not drive.supply_switch:
            turns = look.share(drive.idle_flow)
            yield Remark(
                "turns at 0 %", None, (*at, "supply_switch"),
                say("{drive} turns at {turns} when it is asked for none; to stand still it needs a supply switch.",
                    drive=drive.name, turns=turns),
                say("fit a supply switch"), setting((*at, "supply_switch"), True),
            )  # fmt: skip


def _far_away(look: Look) -> Iterator[Remark]:
    """What matters rests somewhere else than what is probed."""
    rig = look.rig
    matters = rig.what_matters
    rest = look.held_at(look.setpoint)
    if matters == rig.probe.body or rest is None:
        return
    apart = float(rest[rig.body_index(matters)] - rest[rig.body_index(rig.probe.body)])
    if abs(apart) > _FAR_K:
        side = rig.words.warmer if apart > 0 else rig.words.colder
        text = say("{matters} rests {kelvins} {side} than {body}, which is probed.", matters=matters,
                   kelvins=look.kelvins(abs(apart)), side=side, body=rig.probe.body)  # fmt: skip
        yield Remark("far from the probe", None, ("rig", "probes", rig.control_index, "body"), text)


def _of_candidate(look: Look, index: int, candidate: Candidate, known: Measures | None) -> Iterator[Remark]:
    law, name = candidate.controller, candidate.name
    path: Path = ("candidates", index, "controller")
    of_law = OF_LAW.get(type(law))
    if of_law is not None:
        yield from of_law(look, name, path, law, known)
    if known is not None:
        yield from ice_remarks(look, name, known)
    life = None if known is None else known.values.get("relay_life_years")
    if life is not None and life < _LEAST_YEARS and any(isinstance(drive, Relay) for drive in look.rig.drives):
        often = known.values.get("switch_ons_per_h") if known is not None else None
        where = (*path, law.rulers[0]) if law.rulers else path
        yield Remark("relay wears out", name, where, worn_text(often or 0.0, life))
