"""The settings of a controller that was bought: rounded as it can hold them, and what that costs."""

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from datetime import date
from typing import Any

from kelvarn import __version__
from kelvarn.engine.marks import Verdict
from kelvarn.model.bought import Bought
from kelvarn.model.candidate import Candidate, Controller
from kelvarn.model.drives import SlowWindow
from kelvarn.model.edit import with_fields
from kelvarn.model.gains import Parallel, Series, from_parallel, from_series, to_series
from kelvarn.model.on_off import OnOff
from kelvarn.model.pid import Pid
from kelvarn.model.project import Project
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Trial
from kelvarn.sentence import say
from kelvarn.studies.all_trials import results_of_all
from kelvarn.studies.results import Result
from kelvarn.units import Quantity, Scale, show

from .faults import HandoverError
from .pages import template
from .settings import fingerprint, parallel

_SAME = 1e-6
Outcome = Result | str


@dataclass(frozen=True)
class TypedNumber:
    """A number as it is typed.

    Attributes:
        what, unit: it, in the controller's words.
        exact, typed: as it was tried, and as the controller can hold it.
        note: what became of it, where it is not only rounded.
    """

    what: str
    unit: str
    exact: float
    typed: float
    note: str = ""

    @property
    def off(self) -> str:
        """By how much it is off, in per cent."""
        if abs(self.typed - self.exact) <= _SAME * max(abs(self.exact), 1.0):
            return "as tried"
        return f"{100 * (self.typed - self.exact) / self.exact:+.2g} %".replace("-", "−") if self.exact else "off"


@dataclass(frozen=True)
class Held:
    """What a controller holds of a candidate.

    Attributes:
        numbers: to type.
        lacks: what the law has and the controller has not, in words.
        controller, rig, trials: the law with these numbers, on the rig and trials with theirs.
    """

    numbers: tuple[TypedNumber, ...]
    lacks: tuple[str, ...]
    controller: Controller
    rig: Rig
    trials: tuple[Trial, ...]


def held(project: Project, candidate: Candidate, bought: Bought) -> Held:
    """What a controller that was bought holds of a candidate.

    Raises:
        HandoverError: there is no such form of the law.
    """
    law = candidate.controller
    made: Controller
    if isinstance(law, Pid):
        numbers, made, lacks = _of_pid(law, bought)
    elif isinstance(law, OnOff):
        numbers, made, lacks = _of_on_off(law, project, bought)
    else:
        raise HandoverError(
            say("A controller that was bought has no {strategy}: choose on/off, P, PI or PID.", strategy=law.strategy)
        )
    drives, windows = [], []
    for drive in project.rig.drives:
        if isinstance(drive, SlowWindow):
            cycle_s = max(bought.cycle_step_s, _rounded(drive.window_s, bought.cycle_step_s))
            windows.append(TypedNumber(f"Cycle time of {drive.name}", "s", drive.window_s, cycle_s))
            drive = with_fields(drive, window_s=cycle_s)
        drives.append(drive)
    trials = tuple(_with_setpoints(trial, bought.degree_step_K) for trial in project.trials)
    setpoints = [
        TypedNumber("Setpoint", "°C", one.to_degC, other.to_degC)
        for one, other in zip(project.first_trial.plan.changes, trials[0].plan.changes, strict=True)
    ]
    rig = with_fields(project.rig, drives=tuple(drives))
    return Held((*numbers, *windows, *setpoints), lacks, made, rig, trials)


def _rounded(value: float, step: float) -> float:
    return round(round(value / step) * step, 10)


def _with_setpoints(trial: Trial, step_K: float) -> Trial:
    changes = tuple(with_fields(each, to_degC=_rounded(each.to_degC, step_K)) for each in trial.plan.changes)
    return trial.model_copy(update={"plan": trial.plan.model_copy(update={"changes": changes})})


# P, PI and PID.

_GAINS: dict[str, tuple[str, str, Callable[[float, Bought], float], Callable[[float, Bought], float]]] = {
    "band_pct": (
        "Proportional band", "% of span", lambda kp, b: 100.0 / (kp * b.span_K), lambda pb, b: 100.0 / (pb * b.span_K),
    ),
    "band_K": ("Proportional band", "K", lambda kp, _: 1.0 / kp, lambda pb, _: 1.0 / pb),
    "gain": ("Gain", "% per K", lambda kp, _: 100.0 * kp, lambda gain, _: gain / 100.0),
}  # fmt: skip
"""Of each way to write a gain: its name, its unit, from a gain in 1/K and back."""


def _of_pid(law: Pid, bought: Bought) -> tuple[list[TypedNumber], Pid, tuple[str, ...]]:
    filter_s = law.acting_td_s / law.filter_n
    if bought.form == "parallel":
        numbers, kp, ti, td = _parallel_form(law, bought)
    else:
        kp, ti, td = law.kp_per_K, law.ti_s, law.acting_td_s
        if bought.form == "series" and law.integrates:
            try:
                series = to_series(kp, ti, td, filter_s)
            except ValueError as error:
                raise HandoverError(say("This law has {error}.", error=error)) from None
            kp, ti, td = series.kp_per_K, series.ti_s, series.td_s
        gain, kp = _gain(kp, bought)
        numbers = [gain]
        if law.integrates:
            number, ti = _time("Integral time", ti, bought, least_s=bought.time_step_s)
            numbers.append(number)
        if law.acting_td_s > 0.0:
            number, td = _time("Derivative time", td, bought, least_s=0.0)
            numbers.append(number)
        if bought.form == "series" and law.integrates:
            kp, ti, td = from_series(Series(kp, ti, td), filter_s if td else 0.0)
    fields: dict[str, Any] = {"kp_per_K": kp}
    if law.integrates:
        fields["ti_s"] = ti
    if law.acting_td_s > 0.0:
        fields |= {"td_s": td} if td > 0.0 else {"terms": "PI" if law.integrates else "P"}
    lacks = []
    if not bought.weighs and law.acting_weight != 1.0:
        fields["setpoint_weight"] = 1.0
        lacks.append(f"no setpoint weight: its gain sees all of a setpoint change, not {law.acting_weight:g} of it")
    if not bought.unwinds and law.integrates and law.anti_windup != "none":
        fields["anti_windup"] = "none"
        lacks.append("no anti-windup: its integral goes on while the output is limited")
    return numbers, with_fields(law, **fields), tuple(lacks)


def _gain(kp: float, bought: Bought) -> tuple[TypedNumber, float]:
    what, unit, to, back = _GAINS[bought.gain_as]
    exact = to(kp, bought)
    typed = min(max(_rounded(exact, bought.gain_step), bought.gain_lowest), bought.gain_highest)
    note = "" if bought.gain_lowest <= exact <= bought.gain_highest else "beyond what it takes: its nearest"
    if typed <= 0.0:
        typed, note = bought.gain_step, "too small for its steps: its least"
    return TypedNumber(what, unit, exact, typed, note), back(typed, bought)


def _time(what: str, exact_s: float, bought: Bought, least_s: float) -> tuple[TypedNumber, float]:
    typed = min(max(_rounded(exact_s, bought.time_step_s), least_s), bought.time_longest_s)
    note = "longer than it takes: its longest" if exact_s > bought.time_longest_s else ""
    if exact_s > 0.0 and typed == 0.0:
        note = "less than half a step: left out"
    return TypedNumber(what, "s", exact_s, typed, note), typed


def _parallel_form(law: Pid, bought: Bought) -> tuple[list[TypedNumber], float, float, float]:
    gains = parallel(law)
    gain, kp = _gain(gains.kp_per_K, bought)
    numbers, ki, kd = [gain], 0.0, 0.0
    if law.integrates:
        ki = max(_rounded(100.0 * gains.ki_per_Ks, bought.rate_step), bought.rate_step)
        numbers.append(TypedNumber("Ki", "% per K·s", 100.0 * gains.ki_per_Ks, ki))
    if law.acting_td_s > 0.0:
        kd = _rounded(100.0 * gains.kd_s_per_K, bought.rate_step)
        numbers.append(TypedNumber("Kd", "%·s per K", 100.0 * gains.kd_s_per_K, kd))
    kp, ti, td = from_parallel(Parallel(kp, ki / 100.0, kd / 100.0))
    return numbers, kp, ti if ti is not None else law.ti_s, td


# On/off.


def _of_on_off(law: OnOff, project: Project, bought: Bought) -> tuple[list[TypedNumber], OnOff, tuple[str, ...]]:
    way, setpoint = project.rig.way, project.first_trial.plan.last_degC
    on, off = law.on_off_degC(setpoint, way)
    step = bought.degree_step_K
    below, above = way.sign * (setpoint - on), way.sign * (off - setpoint)
    typed = [max(_rounded(each, step), 0.0) for each in (below, above)]
    numbers = [
        TypedNumber(what, "K", exact, each)
        for what, exact, each in zip(("On short of the setpoint by", "Off past the setpoint by"), (below, above), typed,
                                     strict=True)
    ]  # fmt: skip
    made = with_fields(law, notation="edges", below_K=typed[0], above_K=typed[1])
    for name, title in (("shortest_on_s", "Shortest on"), ("shortest_off_s", "Restart delay")):
        exact = getattr(law, name)
        if exact > 0.0:
            whole = _rounded(exact, bought.time_step_s)
            numbers.append(TypedNumber(title, "s", exact, whole))
            made = with_fields(made, **{name: whole})
    return numbers, made, ()


# What it costs.


@dataclass(frozen=True)
class Cost:
    """A mark on a trial, as tried and as typed."""

    trial: str
    what: str
    asked: str
    tried: str
    typed: str
    was_met: bool
    is_met: bool


def run_held(of: Held, go_on: Callable[[float], bool] = lambda _: True) -> dict[str, Outcome]:
    """What the law does with the numbers that are typed, on each trial."""
    return results_of_all(of.rig, of.controller, of.trials, go_on)


def costs(tried: Mapping[str, Outcome], typed: Mapping[str, Outcome], scale: Scale) -> list[Cost]:
    """What rounding costs on each mark of each trial."""
    found = []
    for name, one in tried.items():
        other = typed.get(name, "not run")
        if isinstance(one, str) or isinstance(other, str):
            why = one if isinstance(one, str) else other
            found.append(Cost(name, "the trial", "", "", str(why), not isinstance(one, str), False))
            continue
        for before, after in zip(one.verdicts, other.verdicts, strict=True):
            found.append(Cost(name, before.mark.title, before.mark.limit_text(scale), _got(before, scale),
                              _got(after, scale), before.met, after.met))  # fmt: skip
    return found


def _got(verdict: Verdict, scale: Scale) -> str:
    return verdict.text(scale)


def verdict_text(found: list[Cost]) -> str:
    """What rounding costs, in a sentence."""
    if not found:
        return "No marks are set: what it costs is not known."
    lost = [cost for cost in found if cost.was_met and not cost.is_met]
    met, before = (sum(each) for each in ([cost.is_met for cost in found], [cost.was_met for cost in found]))
    said = f"{met} of {len(found)} marks met, {before} as tried"
    if lost:
        return f"It costs {len(lost)}: {', '.join(f'{cost.what} on “{cost.trial}”' for cost in lost)}; {said}."
    return f"It costs no mark; {said}{', which is chance' if met > before else ''}."


def bought_html(
    project: Project, candidate: Candidate, tried: Mapping[str, Outcome], typed: Mapping[str, Outcome], scale: Scale,
    day: date,
) -> str:  # fmt: skip
    """The page with the numbers to type into a controller that was bought.

    Args:
        project, candidate: whose numbers.
        tried, typed: results on each trial as tried, and with the numbers that are typed; empty while not known.
        scale: that its sentences speak in.
        day: on the page.

    Raises:
        HandoverError: there is no such form of the law.
    """
    bought = project.bought
    of = held(project, candidate, bought)
    found = costs(tried, typed, scale) if tried and typed else []
    page: str = template("bought.html.jinja").render(
        project=project, candidate=candidate, bought=bought, held=of, costs=found,
        verdict=verdict_text(found) if tried and typed else "computing what it costs …",
        again=list(_again(project, candidate, scale)), fingerprint=fingerprint(project, candidate),
        day=day.isoformat(), version=__version__,
    )  # fmt: skip
    return page


def _again(project: Project, candidate: Candidate, scale: Scale) -> Iterator[str]:
    """What must be tried again on it."""
    rig, law = project.rig, candidate.controller
    more = "heats" if rig.way.sign > 0 else "cools"
    yield f"direction: it {more} more for a {'lower' if rig.way.sign > 0 else 'higher'} reading"
    yield "its own tuning, fuzzy or self-adapting functions: off"
    low, high = (show(each, Quantity.TEMPERATURE, scale) for each in (rig.probe.lowest_degC, rig.probe.highest_degC))
    yield f"probe: its type, its range {low} to {high}, and that it is off with the probe's wire off and shorted"
    if isinstance(law, Pid) and law.acting_td_s:
        yield "whether its speed term sees the reading only, and how it filters it"
    if isinstance(law, Pid) and law.integrates:
        yield "whether its integral stands still while the output is limited: from cold, look at the overshoot"
    for guard in rig.guards:
        yield f"“{guard.name}”: whether it can have it; what it cannot have, something else must do"
    yield "the first heat-up, beside the strip of the trial; a power cut; what it does before its first reading"


def numbers_json(of: Held) -> list[dict[str, Any]]:
    """The numbers for a program."""
    return [
        {"what": each.what, "unit": each.unit, "exact": each.exact, "typed": each.typed, "note": each.note}
        for each in of.numbers
    ]
