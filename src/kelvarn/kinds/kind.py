"""What a kind of rig asks, and what is made of its answers: guesses with their tolerance, a trial, candidates."""

import math
from collections.abc import Callable, Iterable, Iterator, Mapping
from contextlib import suppress
from dataclasses import dataclass
from typing import NamedTuple

from kelvarn.engine.prepare import RunError
from kelvarn.engine.step import heating_up_s
from kelvarn.model.candidate import Candidate, Controller
from kelvarn.model.curve import Curve
from kelvarn.model.drives import Relay
from kelvarn.model.goal import Goal
from kelvarn.model.mark import Mark
from kelvarn.model.on_off import OnOff
from kelvarn.model.pid import Pid
from kelvarn.model.project import Project
from kelvarn.model.rig import Rig
from kelvarn.model.tolerances import Tolerance
from kelvarn.model.trial import Plan, SetpointChange, Trial
from kelvarn.sentence import joined, say
from kelvarn.studies.results import result_of
from kelvarn.tune.first_tries import FirstTry, first_tries
from kelvarn.tune.process import PlantError
from kelvarn.tune.reserve import least_reserve
from kelvarn.tune.starts import plant_of_project
from kelvarn.units import Quantity, round_up_s, show

Answers = Mapping[str, float]
"""By the key of the question, in base units."""
_TIMES = (0.1, 0.3, 1.0)
"""Integral times that are tried, as shares of how soon it must be there."""
_GAINS = (1 / 3, 1 / 10, 1 / 30)
"""Gains likewise, as shares of the one at which it would ring."""
_NEVER_RINGS = 1.0  # 1/K, where no gain makes it ring
_LEAST_S, _MOST_S = 900.0, 48 * 3600.0


@dataclass(frozen=True)
class Question:
    """Something that is asked.

    Attributes:
        key: its answer's.
        text: as it is asked.
        quantity: of the answer; guess, lowest, highest: in its base unit.
    """

    key: str
    text: str
    quantity: Quantity
    guess: float
    lowest: float
    highest: float

    def fault(self, value: float) -> str:
        """What is wrong with an answer, in a sentence; empty where nothing is."""
        if self.lowest <= value <= self.highest:
            return ""
        low, high = show(self.lowest, self.quantity), show(self.highest, self.quantity)
        return say("It must be from {low} to {high}.", low=low, high=high)


@dataclass(frozen=True)
class Kind:
    """A kind of rig.

    Attributes:
        key, title, line: what it is called in code, on screen, and what it has.
        questions: five or six, each with a guess.
        build: makes the project of their answers.
        path: its heat path in little, from what drives it to the surroundings: `heater`, `fan`, `body`, `wall`.
    """

    key: str
    title: str
    line: str
    questions: tuple[Question, ...]
    build: Callable[[Answers], Project]
    path: tuple[str, ...]

    def made(self, answers: Answers | None = None) -> Project:
        """The project of some answers, with two candidates. Raises as `drafted` does."""
        return with_candidates(self.drafted(answers))

    def drafted(self, answers: Answers | None = None) -> Project:
        """The same with nothing tried; what is not answered is as guessed.

        Raises:
            ValueError: an answer is outside its range; says which.
        """
        all_of_them = {each.key: each.guess for each in self.questions} | dict(answers or {})
        for each in self.questions:
            if fault := each.fault(all_of_them[each.key]):
                raise ValueError(joined(" ", (each.text, fault)))
        return self.build(all_of_them)


def guessed(of: str, value: float, size: float, measure: str) -> Tolerance:
    """That a value is a guess.

    Args:
        of, value: the field, and what it was guessed to be.
        size: how far it may be off, as a share (or K).
        measure: how it is measured.
    """
    return Tolerance(of=of, size=size, guess=value, measure=measure)


def begun(name: str, rig: Rig, answers: Answers, marks: tuple[Mark, ...] = ()) -> Project:
    """A project of a rig: a trial to its setpoint, and marks by how close and how fast.

    Args:
        name: of the project.
        rig: with its guesses.
        answers: with `setpoint`, `close` (K) and `fast` (s).
        marks: besides those that follow from the answers.
    """
    setpoint, close = answers["setpoint"], answers["close"]
    fast = answers["fast"]
    matters = rig.goal.body if rig.goal is not None else rig.probe.body
    goal = Goal(
        body=matters,
        low_degC=setpoint - 2 * close,
        high_degC=setpoint + 2 * close,
        why="it is not good for what it is for",
    )
    rig = rig.model_copy(update={"goal": rig.goal or goal})
    asked = (
        Mark(measure="overshoot_K", limit=2 * close, why="twice how close it must stay"),
        Mark(measure="settling_s", limit=fast, why="how fast it must be there"),
        Mark(measure="swing_K", limit=2 * close, why="as close above as below"),
    )
    trial = Trial(
        name="From cold", duration_s=_duration_s(rig, setpoint, fast), band_K=close,
        plan=Plan(changes=(SetpointChange(at_s=0, to_degC=round(setpoint, 2)),)), marks=(*asked, *marks),
    )  # fmt: skip
    return Project(name=name, rig=rig, trials=(trial,), candidates=(Candidate(name="On/off", controller=OnOff()),))


def with_candidates(draft: Project) -> Project:
    """A project with the two candidates that do best of some."""
    return draft.model_copy(update={"candidates": _candidates(draft, draft.first_trial) or draft.candidates})


def _duration_s(rig: Rig, setpoint_degC: float, fast_s: float) -> float:
    """Long enough to arrive and to be seen to stay."""
    try:
        reach = heating_up_s(rig, setpoint_degC) or 0.0
    except RunError:
        reach = 0.0
    return min(max(round_up_s(2 * max(1.5 * reach, fast_s)), _LEAST_S), _MOST_S)


class _Rated(NamedTuple):
    """A candidate, and what it is sorted by: marks met, below 0; overshoot; its place."""

    met: int
    over_K: float
    place: int
    candidate: Candidate


def _candidates(draft: Project, trial: Trial) -> tuple[Candidate, ...]:
    """What switches, and what does not where the drives can do that: the best of some of each."""
    rig, close = draft.rig, trial.band_K
    if rig.cooling_fan is not None:
        plain = [("Fan ramp", each.controller) for each in _first_tries(draft, trial)]
    else:
        least = 3 * rig.probe.noise_K + rig.probe.resolution_K
        bands = sorted({float(f"{max(share * close, least):.2g}") for share in (0.25, 0.5, 1.0)})
        plain = [(f"On/off ±{band:g}", OnOff(below_K=band, above_K=band)) for band in bands]
    found = _ranked(draft, trial, plain)
    if all(isinstance(drive, Relay) for drive in rig.drives):
        return tuple(each for _, _, _, each in found[:2])
    better = _ranked(draft, trial, [("PI", law) for law in _laws(draft, trial)])
    both = sorted((*found[:1], *better[:1]), key=lambda each: each[0])  # that which meets more stands first
    return tuple(each for _, _, _, each in both)


def _first_tries(draft: Project, trial: Trial) -> list[FirstTry]:
    try:
        tries = first_tries(draft, trial, plant_of_project(draft, trial))
    except (RunError, PlantError):
        return []
    return [each for each in tries if isinstance(each.controller, Curve) and each.controller.shape == "ramp"]


def _laws(draft: Project, trial: Trial) -> Iterator[Pid]:
    """PI with some integral times, and gains well below that at which the rig would ring."""
    low = -1.0 if draft.rig.way.both else 0.0
    fast = next(mark.limit for mark in trial.marks if mark.measure == "settling_s")
    for share in _TIMES:
        first = Pid(terms="PI", kp_per_K=1.0, ti_s=float(f"{max(share * fast, 1.0):.2g}"), td_s=0.0, low=low)
        try:
            rings = least_reserve(draft.rig, first, (trial,)).reserve.gain_factor or _NEVER_RINGS
        except (PlantError, RunError, ValueError):
            rings = _NEVER_RINGS
        for part in _GAINS:
            yield first.model_copy(update={"kp_per_K": min(max(float(f"{part * rings:.2g}"), 1e-4), 100.0)})


def _ranked(draft: Project, trial: Trial, laws: Iterable[tuple[str, Controller | None]]) -> list[_Rated]:
    """Candidates of those, the ones that meet most marks first, then those that go over least."""
    rated: list[_Rated] = []
    for name, law in laws:
        if law is not None:
            with suppress(RunError):
                result = result_of(draft.rig, law, trial)
                over = result.measures.main.values.get("overshoot_K")
                made = Candidate(name=name, controller=law)
                rated.append(_Rated(-result.met, math.inf if over is None else over, len(rated), made))
    return sorted(rated, key=lambda each: each[:3])
