"""How one failure at one moment ends: what is told of its run."""

from dataclasses import dataclass

from kelvarn.engine.guard_codes import alarms_in, guard_of
from kelvarn.engine.steady import rest_degC
from kelvarn.model.candidate import Controller
from kelvarn.model.event_base import LONGEST_S
from kelvarn.model.guards import CutOff, Guard, Restart
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Trial
from kelvarn.units import Quantity, Scale, show

from .failure_kinds import Failure
from .follow import Followed

_HALVINGS = 30


@dataclass(frozen=True)
class FailureOutcome:
    """How one failure at one moment ends.

    Attributes:
        failure, moment, at_s: what, and when in the trial, s.
        rig, trial: the rig and the trial with it, which open as a run.
        fault: why there is no run; empty where there is one.
        suffers: the body with the least margin to its limit; of none with a limit, the goal's, or the judged one.
        end_degC, extreme_degC: of that body, when it was followed no longer, and nearest to its limit since then.
        margin_K: what was left to that limit; None without one.
        passed: the body whose limit is passed first after the failure, and how long after it, s.
        beforehand: whether a limit is passed without any failure.
        hottest: the body without a limit that gets hottest, and how hot; None where all have one.
        rests: whether it was followed until every body rests; followed_s: how long after the failure.
        tends_degC: where the suffering body tends to; None where it rests, or nobody can say.
        heads_past: whether it would pass a limit later.
        goal_lost_s: how long after it the goal is left; None where it is kept, was not before, or there is none.
        goal_at_end: whether the goal is kept at the end; None without one. off_goal_K: by how much it is not.
        guard, guard_s: what acted, in words, and how long after the failure; empty and None where nothing did.
        helpless: what acted but goes on heating, and so stops nothing, in words.
        alarm, alarm_s: likewise the first alarm.
    """

    failure: Failure
    moment: str
    at_s: float
    rig: Rig
    trial: Trial
    fault: str
    suffers: str = ""
    end_degC: float = 0.0
    extreme_degC: float = 0.0
    margin_K: float | None = None
    passed: tuple[str, float] | None = None
    beforehand: bool = False
    hottest: tuple[str, float] | None = None
    rests: bool = True
    followed_s: float = 0.0
    tends_degC: float | None = None
    heads_past: bool = False
    goal_lost_s: float | None = None
    goal_at_end: bool | None = None
    off_goal_K: float = 0.0
    guard: str = ""
    guard_s: float | None = None
    helpless: str = ""
    alarm: str = ""
    alarm_s: float | None = None

    @property
    def harmful(self) -> bool:
        """Whether a limit is passed now or later, or nobody can say because it could not be run."""
        return self.passed is not None or self.heads_past or bool(self.fault)

    @property
    def harm(self) -> tuple[int, float, float]:
        """How bad it is, the worse the more: a limit passed, the goal lost, neither; then how soon, or by margin."""
        level = 3 if self.harmful else 2 if self.goal_at_end is False else 1 if self.goal_lost_s else 0
        soon = -self.passed[1] if self.passed is not None else -LONGEST_S if level == 3 else 0.0
        return level, soon, -(self.margin_K if self.margin_K is not None else 0.0)

    def ends(self, scale: Scale = Scale.CELSIUS) -> str:
        """How far the suffering body gets, such as "Heater mat 187 °C"."""
        if self.fault:
            return self.fault
        return f"{self.suffers} {show(self.extreme_degC, Quantity.TEMPERATURE, scale)}"


def outcome_of(
    failure: Failure,
    moment: str,
    at_s: float,
    rig: Rig,
    controller: Controller,
    trial: Trial,
    found: Followed,
    whole: bool = True,
) -> FailureOutcome:
    """What came of one run.

    Args:
        failure, moment, at_s, rig: what was tried.
        controller, trial: with the failure in it, as long as it may have been followed.
        found: what came of it.
        whole: whether it was followed as far as it may be; else another moment tells where it ends.
    """
    margins = {}
    for body in rig.all_bodies:
        margin = body.margin_K(found.lowest_degC[body.name], found.highest_degC[body.name])
        if margin is not None:
            margins[body.name] = margin
    suffers = min(margins, key=lambda name: margins[name]) if margins else rig.what_matters
    first = min(found.passed_s, key=lambda name: found.passed_s[name]) if found.passed_s else None
    suffers = first or suffers
    without = [body.name for body in rig.all_bodies if body.limit_degC is None]
    hottest = max(without, key=lambda name: found.highest_degC[name], default=None)
    open_end = whole and not found.rests and first is None
    tends, heads_past = _tends(rig, controller, found) if open_end else (None, False)
    guard, guard_s, helpless = _acted(rig, found)
    return FailureOutcome(
        failure, moment, at_s, rig,
        trial.model_copy(update={"duration_s": max(found.until_s, trial.plan.changes[-1].at_s + 1.0)}), "",
        suffers=suffers,
        end_degC=found.end_degC[suffers],
        extreme_degC=_extreme_degC(rig, found, suffers),
        margin_K=margins.get(suffers),
        passed=None if first is None else (first, found.passed_s[first]),
        beforehand=found.beforehand,
        hottest=None if hottest is None else (hottest, found.highest_degC[hottest]),
        rests=found.rests,
        followed_s=found.until_s - at_s,
        tends_degC=None if tends is None else tends.get(suffers),
        heads_past=heads_past,
        goal_lost_s=found.goal_lost_s,
        goal_at_end=found.goal_at_end,
        off_goal_K=_off_goal_K(rig, found),
        guard=guard,
        guard_s=guard_s,
        helpless=helpless,
        alarm="" if found.alarm is None else ", ".join(each.name for each in alarms_in(rig, found.alarm[0])),
        alarm_s=None if found.alarm is None else found.alarm[1],
    )  # fmt: skip


def _tends(rig: Rig, controller: Controller, found: Followed) -> tuple[dict[str, float] | None, bool]:
    """Where what does not rest yet may come to, and whether a limit lies before that.

    Nobody knows how far the drive will go: as far as it can, towards where the bodies move. What moves so slowly is at
    rest at each drive on its way; where a body comes to its thermal cut-off there, that is as far as it goes.
    """
    least, most = controller.range_of_drive(rig.way)
    if found.rising == rig.heats and not rig.way.both:
        most = min([most, *(_opens_at(rig, guard, most) for guard in rig.guards if isinstance(guard, CutOff))])
    ends = [rest_degC(rig, drive) for drive in (least, most)]
    if any(each is None for each in ends):
        return None, any(body.margin_K(0.0, 0.0) is not None for body in rig.all_bodies) and found.trip is None
    further = max if found.rising else min
    named, past = {}, False
    iced = {link.iced_body for link in rig.links if link.icing is not None}
    for k, body in enumerate(rig.all_bodies):
        if body.name in iced and not found.rising:  # ice keeps off what would warm it: nobody knows how cold it gets
            past = past or body.low_limit_degC is not None
            continue
        named[body.name] = further(float(each[k]) for each in ends if each is not None)
        margin = body.margin_K(named[body.name], named[body.name])
        past = past or (margin is not None and margin < 0.0)
    return named, past and found.trip is None


def _opens_at(rig: Rig, guard: CutOff, most: float) -> float:
    """The drive at which the body of a cut-off of drives rests just at its level; the most there is where none does."""
    if guard.does != "contactor":
        return most
    body, low, high = rig.body_index(guard.body), 0.0, most
    at_most = rest_degC(rig, most)
    if at_most is not None and float(at_most[body]) < guard.at_degC:
        return most
    for _ in range(_HALVINGS):
        middle = (low + high) / 2
        ends = rest_degC(rig, middle)
        low, high = (middle, high) if ends is not None and float(ends[body]) < guard.at_degC else (low, middle)
    return low


def _extreme_degC(rig: Rig, found: Followed, name: str) -> float:
    """How far a body goes towards the nearer of its limits after a failure; its highest where it has none below."""
    body, low, high = rig.all_bodies[rig.body_index(name)], found.lowest_degC[name], found.highest_degC[name]
    below = body.low_limit_degC is not None and body.margin_K(low, high) == low - body.low_limit_degC
    return low if below else high


def _off_goal_K(rig: Rig, found: Followed) -> float:
    """How far the body that matters is outside the goal at the end; without a goal, 0."""
    goal = rig.goal
    if goal is None or found.goal_at_end:
        return 0.0
    end = found.end_degC[goal.body]
    low, high = goal.low_degC, goal.high_degC
    return max(0.0 if low is None else low - end, 0.0 if high is None else end - high, 0.0)


def _acted(rig: Rig, found: Followed) -> tuple[str, float | None, str]:
    """What acted after a failure, and when: a trip where there was one, and what acted before it.

    Then what acted but goes on giving what heats: it stops nothing.
    """
    said, when, helpless = [], None, ""
    if found.guard is not None and not isinstance(guard_of(rig, found.guard[0]), Restart):
        guard = guard_of(rig, found.guard[0])
        if rig.heats and _goes_on(guard):
            helpless = _said(guard)
        else:
            said.append(_said(guard))
            when = found.guard[1]
    if found.trip is not None:
        said.append(_said(rig.guards[found.trip[0]]))
        when = found.trip[1]
    return ", then ".join(said), when, helpless


def _goes_on(guard: Guard) -> bool:
    """Whether a guard's action goes on driving."""
    action = getattr(guard, "action", "off")
    return action in ("on", "hold") or (action == "fixed" and getattr(guard, "duty", 0.0) > 0.0)


def _said(guard: Guard) -> str:
    """A guard by its name, and what it does."""
    said = {"off": "off", "on": "full on", "fixed": "fixed duty", "hold": "holds"}.get(getattr(guard, "action", ""), "")
    return f"{guard.name} ({said})" if said else guard.name
