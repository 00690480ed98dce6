"""Where a rig comes to rest: its heat balance, solved directly by Newton's method; and what makes a rig impossible."""

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import lru_cache, partial

import numpy as np

from kelvarn.model.fields import SURROUNDINGS
from kelvarn.model.rig import Rig
from kelvarn.sentence import say
from kelvarn.units import KELVIN_AT_0_DEGC

from .heat import carried, conductance
from .layout import Floats, Layout, lay_out, sharing_of, still_link
from .output import flow_of, mean_output, outputs_of
from .plant import LinkRecord

_MOST_STEPS = 500
_LONGEST_STEP_K = 200.0
_SOLVED_W = 1e-9
_LEAST_W_PER_K = 1e-12  # what carries less carries nothing
_MOST_DEMAND = 4.0  # how far beyond what the drive has a need is still worked out, to be told
_HALVINGS = 26  # of the demands between which a setpoint is held
_NEXT = 1e-6  # outputs that differ by less are neighbours: nothing jumps between them


@dataclass(frozen=True)
class HoldVerdict:
    """Whether a rig can hold a setpoint.

    Attributes:
        holding_drive: mean output of the drives that holds it at rest, −1…1, below 0 where a cooling drive is needed
            beside a heating one; beyond what they have it cannot be held; None where nothing near would do.
        least: mean output at the lowest demand, −1 where one cools beside one that heats, else 0.
        most: at full demand; less than 1 where a drive has a top or an end stop.
        between: outputs next below and above that a constant demand gives, where none gives this: it switches to and
            fro between them; None where one does.
        end_degC: rest temperature of each body at its worst: with what heats stuck on, or, where all drives cool, with
            these stopped; inf where it only gets warmer.
    """

    holding_drive: float | None
    least: float
    most: float
    between: tuple[float, float] | None
    end_degC: dict[str, float]

    @property
    def can(self) -> bool:
        """Whether the drives can hold it."""
        return self.holding_drive is not None and self.least - 1e-9 <= self.holding_drive <= self.most + 1e-9


def rest_degC(rig: Rig, demand: float) -> Floats | None:
    """Rest temperature of each body with a constant demand, shape (bodies,); None where some body keeps all its heat.

    Args:
        rig: the rig.
        demand: −1…1 as a law gives it. The drives give what they give then, with top, floor, off-below, stall and end
            stops; the switching of relays and slow windows is averaged.
    """
    layout = lay_out(rig)
    return _rest(rig, layout, _Mix(layout, outputs_of(layout.drives, sharing_of(rig), demand)))


class _Mix:
    """What the drives give, at one output of each or, for shares of time, at two."""

    def __init__(
        self, layout: Layout, outputs: Sequence[float], other: Sequence[float] | None = None, share: float = 0.0
    ):
        self._parts = [(1.0 - share, outputs)] + ([(share, other)] if other is not None else [])
        self._drives = layout.drives

    def output(self, d: int) -> float:
        """Mean output of a drive."""
        return sum(share * outputs[d] for share, outputs in self._parts)

    def W_per_K(self, link: LinkRecord) -> float:
        """Mean conductance of a link."""
        if link.mover < 0:
            return conductance(link, 0.0)
        drive = self._drives[link.mover]
        return sum(share * conductance(link, flow_of(drive, outputs[link.mover])) for share, outputs in self._parts)

    def W(self, d: int) -> float:
        """Mean power of a drive."""
        drive = self._drives[d]
        return sum(share * drive.power_W * flow_of(drive, outputs[d]) for share, outputs in self._parts)


def _rest(rig: Rig, layout: Layout, mix: _Mix) -> Floats | None:
    """Rest with what the drives give."""
    n = len(layout.bodies)
    given, drawn = np.zeros(n), np.zeros(n)
    for body in rig.bodies:
        given[layout.entry[body.name]] += body.own_heat_W
    for d, drive in enumerate(layout.drives):
        if drive.acts_on >= 0:
            given[drive.acts_on] += mix.W(d)
    links = [(link, mix.W_per_K(link)) for link in layout.links]
    for draw_off in rig.draw_offs:
        if draw_off.always and draw_off.inlet_degC is None:
            link = still_link(layout.entry[draw_off.body], n, draw_off.flow_W_per_K)
            links.append((link, link.still_W_per_K))
        elif draw_off.always and draw_off.inlet_degC is not None:
            at = layout.entry[draw_off.body]
            drawn[at] += draw_off.flow_W_per_K
            given[at] += draw_off.flow_W_per_K * draw_off.inlet_degC
    if not _all_lose(n, links, drawn):
        return None
    degC = np.full(n, layout.outside_degC)
    radiates = any(link.radiating_W_per_K4 > 0 for link, _ in links)
    for _ in range(_MOST_STEPS):
        flux, slope = _balance(degC, layout.outside_degC, given, drawn, links)
        try:
            step = np.linalg.solve(slope, -flux)
        except np.linalg.LinAlgError:
            return None
        if not np.isfinite(step).all():
            return None
        longest = max(float(np.abs(step).max()), 1e-30)
        degC = degC + step * (min(1.0, _LONGEST_STEP_K / longest) if radiates else 1.0)
        degC = np.maximum(degC, -KELVIN_AT_0_DEGC)
        if longest < 1e-10 or np.abs(flux).max() < _SOLVED_W:
            break
    named: Floats = degC[: len(rig.body_names)]
    return named


def _all_lose(n: int, links: list[tuple[LinkRecord, float]], drawn: Floats) -> bool:
    """Whether all bodies have a way for heat to the surroundings."""
    reached = {n} | {i for i in range(n) if drawn[i] > _LEAST_W_PER_K}
    carries = [link for link, g in links if g > _LEAST_W_PER_K or link.radiating_W_per_K4 > 0]
    while True:
        more = {a for link in carries for a, b in ((link.a, link.b), (link.b, link.a)) if b in reached} - reached
        if not more:
            return len(reached) == n + 1
        reached |= more


def _balance(
    degC: Floats, outside: float, given: Floats, drawn: Floats, links: list[tuple[LinkRecord, float]]
) -> tuple[Floats, Floats]:
    """Heat into each body, W, and its derivative by each temperature, W/K."""
    n = degC.size
    flux = given - drawn * degC
    slope = np.diag(-drawn)
    values = [*degC.tolist(), outside]
    for link, g in links:
        a, b = link.a, link.b
        heat, by_a, by_b = carried(link, g, values[a], values[b])
        for here, sign in ((a, 1.0), (b, -1.0)):
            if here == n or (link.one_way and here == a):
                continue
            flux[here] += sign * heat
            if a < n:
                slope[here, a] -= sign * by_a
            if b < n:
                slope[here, b] += sign * by_b
    return flux, slope


@lru_cache(maxsize=64)
def can_hold(rig: Rig, setpoint_degC: float) -> HoldVerdict | None:
    """Judge a setpoint for the probed body; None where the rig never comes to rest."""
    layout, sharing = lay_out(rig), sharing_of(rig)
    at = rig.body_index(rig.probe.body)

    def outputs(demand: float) -> list[float]:
        """At a demand; beyond full, as if the drives had as much more."""
        beyond = max(abs(demand), 1.0)
        return [beyond * output for output in outputs_of(layout.drives, sharing, demand / beyond)]

    def miss(demand: float) -> float:
        """How far above the setpoint it comes to rest; inf where it never does, for what heats it stays."""
        found = _rest(rig, layout, _Mix(layout, outputs(demand)))
        return math.inf if found is None else float(found[at]) - setpoint_degC

    full = _rest(rig, layout, _Mix(layout, outputs(1.0)))
    stopped = _rest(rig, layout, _Mix(layout, outputs(0.0)))
    if full is None and (stopped is None or rig.heats):
        return None
    worst = full if rig.heats else stopped
    names = rig.body_names
    end = {name: _endless(rig, layout, i) if worst is None else float(worst[i]) for i, name in enumerate(names)}
    low = -1.0 if rig.heats and rig.cools else 0.0
    most = mean_output(layout.drives, outputs(1.0), 1.0)
    bracket = _bracket(miss, low)
    if bracket is None:
        return HoldVerdict(None, low, most, None, end)
    if bracket[0] == bracket[1]:  # below what no demand gives: told by a straight line
        return HoldVerdict(bracket[0], low, most, None, end)
    below, above = outputs(bracket[0]), outputs(bracket[1])
    share = 0.0
    if max(abs(b - a) for a, b in zip(below, above, strict=True)) > _NEXT:
        mixed = partial(_mix_miss, rig, layout, below, above, at, setpoint_degC)
        share = _halved(mixed, 0.0, 1.0, mixed(1.0) > 0)[0]
    way = 1.0 if bracket[1] > 0 else -1.0
    left, right = (way * mean_output(layout.drives, each, way) for each in (below, above))
    jumps = (
        drive.steps > 0 and abs(flow_of(drive, b) - flow_of(drive, a)) > 1.5 / drive.steps
        for drive, a, b in zip(layout.drives, below, above, strict=True)
    )
    return HoldVerdict(left + share * (right - left), low, most, (left, right) if any(jumps) else None, end)


def _endless(rig: Rig, layout: Layout, i: int) -> float:
    """Where a body ends that keeps all its heat: inf where it has heat of its own, else where it starts."""
    return math.inf if any(body.own_heat_W > 0 for body in rig.bodies) else layout.bodies[i].start_degC


def _mix_miss(
    rig: Rig,
    layout: Layout,
    below: Sequence[float],
    above: Sequence[float],
    at: int,
    setpoint_degC: float,
    share: float,
) -> float:
    """How far above a setpoint it rests while two outputs take turns."""
    found = _rest(rig, layout, _Mix(layout, below, above, share))
    return math.inf if found is None else float(found[at]) - setpoint_degC


def _bracket(miss: Callable[[float], float], low: float) -> tuple[float, float] | None:
    """Two demands next to one another between which a setpoint is held.

    Where that is beyond full it is looked for up to a few times as much; below a `low` of 0, where no drive acts, it is
    told by a straight line as one demand below 0. None where it is nowhere near.
    """
    high, at_low, at_high = 1.0, miss(low), miss(1.0)
    if at_low == at_high:
        return None
    if at_low * at_high > 0 and abs(at_low) <= abs(at_high):
        if low < 0.0 or not math.isfinite(at_high):
            return None
        beyond = low - at_low * (high - low) / (at_high - at_low)
        return beyond, beyond
    while at_low * at_high > 0:
        if high >= _MOST_DEMAND:
            return None
        high *= 2
        at_high = miss(high)
    return _halved(miss, low, high, at_high > 0)


def _halved(miss: Callable[[float], float], low: float, high: float, above: bool) -> tuple[float, float]:
    """Two neighbours between which a function, which may jump, gets past 0; `above`: at the high end it is."""
    for _ in range(_HALVINGS):
        middle = (low + high) / 2
        if (miss(middle) > 0) == above:
            high = middle
        else:
            low = middle
    return low, high


@lru_cache(maxsize=4)
def oddities(rig: Rig) -> tuple[str, ...]:
    """What makes a rig impossible or pointless, one sentence each. Kept: it is asked for at every step of a drag."""
    names, found = rig.body_names, []
    if len(names) > 1:
        found += [
            say("Nothing is linked to {name}: no heat flows to or from it.", name=name)
            for name in names
            if reached(rig, name) == {name}
        ]
    moved = {link.driven_by for link in rig.links if link.full_W_per_K > 0}
    for drive in rig.drives:
        body = drive.heated_body
        if rig.response is None and body is None and drive.name not in moved:
            found.append(
                say("{drive} moves nothing: name it at a link that it drives, with W/K at full flow.", drive=drive.name)
            )
        elif body is not None and rig.probe.body not in reached(rig, body):
            found.append(say("No heat of {drive} reaches {body}, where {probe} sits: link them.", drive=drive.name,
                             body=rig.probe.body, probe=rig.probe.name))  # fmt: skip
    heated = rig.drive.heated_body or rig.probe.body
    integrates = rig.response is not None and rig.response.kind == "integrating"
    if SURROUNDINGS not in reached(rig, heated) and not integrates:
        warmer = say("There is no way for heat to the surroundings: it only gets warmer and warmer. Add a heat loss.")
        colder = say("There is no way for heat to the surroundings: it only gets colder and colder. Add a heat loss.")
        found.append(warmer if rig.heats else colder)
    return tuple(found)


def reached(rig: Rig, start: str) -> set[str]:
    """All that heat gets to from a body; it does not go on through the surroundings."""
    found, queue = {start}, [start]
    drawn = {draw_off.body for draw_off in rig.draw_offs if draw_off.always and draw_off.flow_W_per_K > 0}
    while queue:
        here = queue.pop()
        if here in drawn:
            found.add(SURROUNDINGS)
        for link in rig.all_links:
            if link.carries and here in (link.a, link.b) and here != SURROUNDINGS:
                there = link.b if here == link.a else link.a
                if there not in found:
                    found.add(there)
                    queue.append(there)
    return found
