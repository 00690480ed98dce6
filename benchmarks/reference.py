"""A second engine, slow and plain, written from the model page: what bodies, probes and setpoint do under recorded drives.

It shares nothing with the product but the data: drives, events, plan and probes are worked out anew, in other ways where
there are any (the play of a valve as a play operator, faults by looking at all of them), and heat flows by
`scipy.integrate.solve_ivp` between all instants at which anything jumps.
"""

import math
from bisect import bisect_right
from dataclasses import dataclass
from typing import Any

import numpy as np
from scipy.integrate import solve_ivp

from benchmarks.outputs import Course, demands, output
from benchmarks.readings import of_kind, setpoint, under_way
from kelvarn.engine.changes import surroundings_at
from kelvarn.engine.run import Run
from kelvarn.model.fields import SURROUNDINGS

SIGMA = 5.670374419e-8
ZERO = 273.15


@dataclass
class Answer:
    """What the reference says of a run, at its samples; `hottest` and `coldest` of the true course."""

    bodies_degC: np.ndarray
    sensed_degC: np.ndarray  # of each probe, one dead time ago
    setpoint_degC: np.ndarray
    hottest_degC: np.ndarray
    coldest_degC: np.ndarray


class Reference:
    """The plant of a run."""

    def __init__(self, run: Run) -> None:
        self.run, rig = run, run.rig
        self.rig, self.response = rig, rig.response
        self.h, self.m = rig.probe.interval_s, run.time_s.size
        self.end = (self.m - 1) * self.h
        asked = np.array([demands(run, float(given)) for given in run.drive[:-1]]).reshape(self.m - 1, -1)
        extra = self.response.dead_time_s if self.response is not None else 0.0
        self.transport = [drive.dead_time_s + extra for drive in rig.drives]
        self.asked = [asked[:, d].tolist() for d in range(len(rig.drives))]
        self.courses = [self.course(d) for d in range(len(rig.drives))]
        self.course_t = [[t for t, _, _ in course] for course in self.courses]
        self.names = list(rig.body_names)
        self.n = len(self.names)
        self.bodies = rig.all_bodies
        self.c = np.array([body.capacity_J_per_K for body in self.bodies])
        self.second = self.response is not None and self.response.kind == "two_lags"
        self.base = self.n + len(rig.probes) + len(rig.drives)
        self.parts = of_kind(self.run, "cold_part")
        self.fans = [d for d, drive in enumerate(rig.drives) if drive.kind == "fan"]
        self.turning = dict.fromkeys(self.fans, True)
        # Switches without software: cut-offs and the own thermostats of drives, each open or not.
        self.cut_offs = [guard for guard in rig.guards if guard.kind == "cut_off"]
        self.dials = [d for d, drive in enumerate(rig.drives) if getattr(drive, "dial_degC", None) is not None]
        self.open = [False] * (len(self.cut_offs) + len(self.dials))
        self.cuts: list[list[tuple[float, bool]]] = [[(-math.inf, False)] for _ in rig.drives]

    def course(self, d: int) -> Course:
        """What a drive would give as its body feels it, were nothing cut."""
        drive: Any = self.rig.drives[d]
        late = self.transport[d] + getattr(drive, "operate_s", 0.0)
        return [(t + late, level, slope) for t, level, slope in output(drive, self.asked[d], self.h)]

    def stand(self, k: int) -> list[float]:
        """Let valves without supply stay where they are from sample k to the next; when they then move anew."""
        found: list[float] = []
        for d, drive in enumerate(self.rig.drives):
            if drive.kind == "valve" and k < self.m - 1 and self.cut(d):
                self.asked[d][k] = math.nan
                self.courses[d] = self.course(d)
                self.course_t[d] = [t for t, _, _ in self.courses[d]]
                found += self.course_t[d]
        return found

    def switches(self) -> list[tuple[int, float, float]]:
        """Body, level at which it opens and at which it closes, of each switch without software."""
        found = []
        for guard in self.cut_offs:
            back = math.inf if guard.resets_K is None else guard.resets_K
            found.append((self.names.index(guard.body), guard.at_degC, guard.at_degC - back))
        for d in self.dials:
            drive: Any = self.rig.drives[d]
            body = self.names[0] if self.response is not None else drive.body
            found.append((self.names.index(body), drive.dial_degC, drive.dial_degC - drive.dial_band_K))
        return found

    def cut(self, d: int) -> bool:
        """Whether a drive has no supply now, whatever is asked."""
        opened = zip(self.cut_offs, self.open, strict=False)
        if any(is_open and guard.does == "contactor" for guard, is_open in opened):
            return True
        return any(self.open[len(self.cut_offs) + k] for k, place in enumerate(self.dials) if place == d)

    def idle(self, d: int) -> float:
        """Flow of a fan that is not asked for any, as it turned before the trial."""
        drive: Any = self.rig.drives[d]
        return 0.0 if drive.kind != "fan" or drive.supply_switch else float(drive.idle_flow * drive.volts)

    def blown(self, d: int, level: float, at: float) -> float:
        """Flow that a fan comes to at a level: by its voltage, its stall, what it starts from, its table."""
        drive: Any = self.rig.drives[d]
        share = [event.to for event in of_kind(self.run, "supply") if under_way(event, at - self.transport[d])]
        volts = math.prod(share) * drive.volts
        idle = self.idle(d) * math.prod(share)
        least = drive.stalls_below if self.turning[d] else max(drive.stalls_below, drive.starts_from or 0.0)
        self.turning[d] = level > 0 and level * volts >= least
        if not self.turning[d]:
            return float(idle)
        speeds, flows = [0, 0.25, 0.5, 0.75, 1.0], [0, drive.flow_at_25, drive.flow_at_50, drive.flow_at_75, 1.0]
        speed = level * volts
        moved = np.interp(speed, speeds, flows)
        if speed > 1:
            moved = 1.0 + (speed - 1.0) * 4 * (1.0 - drive.flow_at_75)
        return float(max(moved, idle))

    def level(self, d: int, t: float) -> float:
        """Output of a drive that acts at an instant."""
        if self.rig.drives[d].kind != "valve" and self.was_cut(d, t - self.transport[d]):
            return 0.0
        k = bisect_right(self.course_t[d], t) - 1
        if k < 0:
            return self.rig.drives[d].lowest if self.rig.drives[d].kind == "valve" else 0.0
        since, level, slope = self.courses[d][k]
        return level + slope * (t - since)

    def was_cut(self, d: int, t: float) -> bool:
        """Whether a drive had no supply at an instant that has been."""
        return self.cuts[d][bisect_right(self.cuts[d], (t, True)) - 1][1]

    def supply(self, d: int, t: float) -> float:
        """Share of its power that a drive gives, as felt at an instant."""
        if not getattr(self.rig.drives[d], "resistive", False):
            return 1.0
        shares = [event.to for event in of_kind(self.run, "supply") if under_way(event, t - self.transport[d])]
        return math.prod(shares) ** 2

    def degC(self, theta: np.ndarray) -> np.ndarray:
        """Temperatures of heat contents."""
        found = theta[: self.n].copy()
        for i, body in enumerate(self.bodies):
            m = body.melting
            if m is not None and theta[i] > m.from_degC:
                extra, width = m.latent_J / body.capacity_J_per_K, m.to_degC - m.from_degC
                found[i] = min(
                    m.from_degC + (theta[i] - m.from_degC) * width / (width + extra), max(m.to_degC, theta[i] - extra)
                )
                if theta[i] >= m.to_degC + extra:
                    found[i] = theta[i] - extra
        return found

    def content(self, degC: float, i: int) -> float:
        """Heat content at a temperature."""
        m = self.bodies[i].melting
        if m is None:
            return degC
        extra, width = m.latent_J / self.bodies[i].capacity_J_per_K, m.to_degC - m.from_degC
        return degC + extra * min(max((degC - m.from_degC) / width, 0.0), 1.0)

    def jumps(self) -> list[float]:
        """All instants at which anything jumps or is to be known."""
        found = {0.0, self.end, *(k * self.h for k in range(self.m))}
        for d, course in enumerate(self.course_t):
            found |= set(course)
            found |= {
                t + self.transport[d] for e in of_kind(self.run, "supply") for t in (e.at_s, e.at_s + (e.lasts_s or 0))
            }
        for event in self.run.trial.events:
            found |= {event.at_s, event.at_s + (event.lasts_s or 0.0)}
        for probe in self.rig.probes:
            found |= {k * self.h - probe.dead_time_s for k in range(self.m)}
        kept: list[float] = []
        for t in sorted(t for t in found if 0 <= t <= self.end):
            if not kept or t - kept[-1] > 1e-10:
                kept.append(t)
        return kept

    def slope(self, t: float, x: np.ndarray, at: float, constants: dict[str, Any]) -> np.ndarray:
        """dx/dt; `at` is an instant inside the span, by which all that jumps is looked up."""
        n, rig = self.n, self.rig
        degC, dx = self.degC(x), np.zeros_like(x)
        outside = constants["outside"]
        entry = [x[self.base]] if self.second else degC
        flows = x[n + len(rig.probes) :]
        value = {name: entry[0] if self.second else degC[i] for i, name in enumerate(self.names)} | {
            SURROUNDINGS: outside
        }
        heat = dict.fromkeys([*self.names, SURROUNDINGS], 0.0)
        for name, watts in constants["watts"].items():
            heat[name] += watts
        for d, body in constants["mixed"]:
            heat[body] += constants["full"][d] * (self.level(d, at) + constants["ramp"][d] * (t - at))
        for link in rig.all_links:
            g = link.conductance_W_per_K
            if link.driven_by is not None:
                d = rig.drive_index(link.driven_by)
                flow = flows[d] if d in self.fans and rig.drives[d].speed_lag_s > 0 else self.flow(d, at, t, constants)
                g += link.full_W_per_K * max(flow, 0.0) ** link.flow_exponent
            ka, kb = value[link.a] + ZERO, value[link.b] + ZERO
            watts = g * (value[link.b] - value[link.a]) + SIGMA * link.radiating_m2 * (kb**4 - ka**4)
            heat[link.a] += watts
            heat[link.b] -= watts
        for a, b, g in constants["doors"]:
            watts = g * (value[b] - value[a])
            heat[a] += watts
            heat[b] -= watts
        for body, g, inlet in constants["draws"]:
            heat[body] += g * ((outside if inlet is None else inlet) - value[body])
        for j, part in enumerate(self.parts, start=self.base + self.second):
            if under_way(part, at):
                watts = part.contact_W_per_K * (value[part.body] - x[j])
                heat[part.body] -= watts
                dx[j] = watts / part.capacity_J_per_K
        for i, name in enumerate(self.names):
            dx[i] = heat[name] / self.c[i]
        if self.second:
            dx[self.base] = heat[self.names[0]] / self.c[0]
            dx[0] = (x[self.base] - x[0]) / self.response.lag2_s  # type: ignore[union-attr]
        for p, probe in enumerate(rig.probes):
            if probe.lag_s > 0:
                dx[n + p] = (degC[self.names.index(probe.body)] - x[n + p]) / probe.lag_s
        for d in self.fans:
            if rig.drives[d].speed_lag_s > 0:  # type: ignore[union-attr]
                dx[n + len(rig.probes) + d] = (constants["target"][d] - flows[d]) / rig.drives[d].speed_lag_s  # type: ignore[union-attr]
        return dx

    def door_W_per_K(self, door: Any) -> float:
        """What a door adds: its own figure, else the link's."""
        if door.conductance_W_per_K is not None:
            return float(door.conductance_W_per_K)
        return next(link.opened_W_per_K for link in self.rig.links if {link.a, link.b} == {door.body, door.to})

    def flow(self, d: int, at: float, t: float, constants: dict[str, Any]) -> float:
        """Flow of a drive without a lag."""
        if d in self.fans:
            return float(constants["target"][d])
        return self.level(d, at) + float(constants["ramp"][d]) * (t - at)

    def constants(self, at: float) -> dict[str, Any]:
        """What does not change in a span, looked up at an instant inside it."""
        run, rig = self.run, self.rig
        watts = {body.name: body.own_heat_W for body in rig.bodies}
        watts = dict.fromkeys(self.names, 0.0) | watts
        for event in of_kind(run, "load"):
            if under_way(event, at):
                watts[event.body] += event.power_W
        if any(guard.does == "load" and is_open for guard, is_open in zip(self.cut_offs, self.open, strict=False)):
            watts = dict.fromkeys(watts, 0.0)  # what a load brings is switched off too
        full, ramp, target, mixed = [], [], [], []
        for d, drive in enumerate(rig.drives):
            way = 1 if drive.acts == "heats" else -1
            full.append(way * drive.power_W * self.supply(d, at))
            k = bisect_right(self.course_t[d], at) - 1
            ramp.append(self.courses[d][k][2] if k >= 0 else 0.0)
            level = self.level(d, at)
            target.append(self.blown(d, level, at) if d in self.fans else level)
            body = self.names[0] if self.response is not None else getattr(drive, "body", None)
            if drive.kind == "valve" and body is not None:
                mixed.append((d, body))
            elif body is not None:
                watts[body] += full[d] * level
        doors = [(e.body, e.to, self.door_W_per_K(e)) for e in of_kind(run, "door") if under_way(e, at)]
        draws = [(tap.body, tap.flow_W_per_K, tap.inlet_degC) for tap in rig.draw_offs if tap.always]
        for event in of_kind(run, "draw_off"):
            tap = next(tap for tap in rig.draw_offs if tap.name == event.draw_off)
            if under_way(event, at) and not tap.always:
                draws.append((tap.body, tap.flow_W_per_K, tap.inlet_degC))
        return {
            "outside": surroundings_at(run.rig, run.trial, at), "watts": watts, "full": full, "ramp": ramp, "target": target,
            "mixed": mixed, "doors": doors, "draws": draws,
        }  # fmt: skip

    def solve(self, rtol: float = 1e-10) -> Answer:
        """Integrate the whole trial."""
        rig, n = self.rig, self.n
        start = [self.content(self.start_degC(i), i) for i in range(n)]
        x = np.array(
            [
                *start,
                *(self.start_degC(self.names.index(p.body)) for p in rig.probes),
                *map(self.idle, range(len(rig.drives))),
            ]
        )
        if self.second:
            x = np.append(x, start[0])
        x = np.append(x, [part.part_degC for part in self.parts])
        times, courses, k = self.jumps(), [x], 0
        hottest, coldest = self.degC(x), self.degC(x)
        while k < len(times) - 1:
            begin, k = times[k], k + 1
            sample = round(begin / self.h)
            self.look(begin, x)
            if abs(begin - sample * self.h) < 1e-9:
                _put_in(times, begin, self.stand(sample))
            while begin < times[k]:  # in pieces between switches without software
                _put_in(times, begin, self.look(begin, x))
                end = times[k]
                at = (begin + end) / 2
                found = solve_ivp(
                    self.slope, (begin, end), x, "LSODA", rtol=rtol, atol=1e-10, args=(at, self.constants(at)),
                    dense_output=True, events=self.crossings(),
                )  # fmt: skip
                for share in np.linspace(0, 1, 40):
                    now = self.degC(found.sol(begin + share * (found.t[-1] - begin)))
                    hottest, coldest = np.maximum(hottest, now), np.minimum(coldest, now)
                begin, x = float(found.t[-1]), found.y[:, -1]
            courses.append(x)
        index = np.array(times)
        samples = [int(np.argmin(abs(index - k * self.h))) for k in range(self.m)]
        sensed = np.zeros((len(rig.probes), self.m))
        for p, probe in enumerate(rig.probes):
            for k in range(self.m):
                then = max(k * self.h - probe.dead_time_s, 0.0)
                state = courses[int(np.argmin(abs(index - then)))]
                sensed[p, k] = state[n + p] if probe.lag_s > 0 else self.degC(state)[self.names.index(probe.body)]
        return Answer(
            np.array([self.degC(courses[k]) for k in samples]).T, sensed,
            np.array([setpoint(self.run, k * self.h) for k in range(self.m)]), hottest, coldest,
        )  # fmt: skip

    def look(self, t: float, x: np.ndarray) -> list[float]:
        """Open and close switches without software; when bodies will feel it."""
        degC = self.degC(x)
        for k, (body, opens, closes) in enumerate(self.switches()):
            self.open[k] = degC[body] > closes + 1e-7 if self.open[k] else degC[body] >= opens - 1e-7
        found = []
        for d, cuts in enumerate(self.cuts):
            if cuts[-1][1] != self.cut(d):
                cuts.append((t, self.cut(d)))
                found.append(t + self.transport[d])
        return found

    def crossings(self) -> list[Any]:
        """What is 0 where a switch without software opens or closes next, each of which ends a piece."""
        found = []
        for (body, opens, closes), is_open in zip(self.switches(), self.open, strict=True):
            level = closes if is_open else opens
            if math.isfinite(level):

                def away(_t: float, x: np.ndarray, *_: Any, body: int = body, level: float = level) -> float:
                    return float(self.degC(x)[body] - level)

                away.terminal, away.direction = True, -1.0 if is_open else 1.0  # type: ignore[attr-defined]
                found.append(away)
        return found

    def start_degC(self, i: int) -> float:
        """Where a body starts."""
        if self.run.trial.start_degC is not None:
            return self.run.trial.start_degC
        own = self.bodies[i].start_degC
        return self.rig.surroundings.temperature_degC if own is None else own


def _put_in(times: list[float], now: float, more: list[float]) -> None:
    """Put instants that are to come into those of the jumps, before the last."""
    for t in more:
        place = bisect_right(times, t)
        if now + 1e-10 < t < times[-1] and t - times[place - 1] > 1e-10 and times[place] - t > 1e-10:
            times.insert(place, t)
