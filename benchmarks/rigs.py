"""Random rigs with every part of the model, controllers and trials for them; the same seed gives the same."""

import math
from typing import Any

import numpy as np

from kelvarn.model.bodies import Body, DrawOff, Link, Melting, Surroundings
from kelvarn.model.drives import AnyDrive, Fan, Pwm, Relay, SlowWindow, Valve
from kelvarn.model.events import ColdPart, DoorOpens, DrawOffRuns, Load, ProbeFault, SupplyChange, SurroundingsChange
from kelvarn.model.fields import SURROUNDINGS
from kelvarn.model.guards import CutOff
from kelvarn.model.on_off import OnOff
from kelvarn.model.pid import Pid
from kelvarn.model.probes import Converter, Correction, Probe
from kelvarn.model.response import ResponseModel
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Plan, SetpointChange, Trial

FAULTS = ("open", "short", "stuck", "stale", "drift", "offset", "spikes")


class Draw:
    """A source of chance with the few shapes that are wanted."""

    def __init__(self, seed: int) -> None:
        self.rng = np.random.default_rng(seed)

    def log(self, low: float, high: float) -> float:
        """Evenly on a log scale, to three figures."""
        return float(f"{10 ** self.rng.uniform(math.log10(low), math.log10(high)):.3g}")

    def between(self, low: float, high: float) -> float:
        """Evenly, to three decimals."""
        return round(float(self.rng.uniform(low, high)), 3)

    def chance(self, share: float) -> bool:
        """True in this share of cases."""
        return bool(self.rng.random() < share)

    def one(self, *of: Any) -> Any:
        """One of these."""
        return of[int(self.rng.integers(len(of)))]


def random_case(seed: int, *, plain: bool = False, lasts_s: float = 1800.0) -> tuple[Rig, OnOff | Pid, Trial]:
    """A rig, a controller and a trial.

    Args:
        seed: which.
        plain: leave out what a landed version computed otherwise: overlapping supply and probe faults, supply under
            dead time, play of a valve, kick-starts above a stall, dead times of probes and setpoint changes off the
            samples, ramps from the start, draw-offs that come in from the surroundings.
        lasts_s: about how long the trial lasts.
    """
    draw = Draw(seed)
    h = draw.one(0.5, 1.0, 2.0, 4.0) if plain else draw.one(0.3, 0.5, 0.7, 1.0, 2.0, 4.0, 10.0)
    if draw.chance(0.15):
        rig = _response(draw, h, plain)
    else:
        rig = _heat_path(draw, h, plain)
    span = max(lasts_s, 60 * h)
    return rig, _controller(draw, rig), _trial(draw, rig, h, span, plain)


def _response(draw: Draw, h: float, plain: bool) -> Rig:
    kind = draw.one("one_lag", "two_lags", "integrating")
    lag = draw.log(60, 2000)
    model = ResponseModel(
        kind=kind, gain_K=draw.log(20, 300), rise_K_per_s=draw.log(0.005, 0.1), lag_s=lag, lag2_s=lag * draw.between(0.05, 0.9),
        dead_time_s=draw.one(0.0, draw.between(0, 40)),
    )  # fmt: skip
    drive = _power_drive(draw, "Heater", model.name, plain)
    return Rig(response=model, drives=(drive,), probes=_probes(draw, [model.name], h, plain))


def _heat_path(draw: Draw, h: float, plain: bool) -> Rig:
    count = int(draw.rng.integers(1, 6))
    names = [f"B{i}" for i in range(count)]
    outside = draw.between(-5, 30)
    bodies = tuple(_body(draw, name, outside) for name in names)
    drives: list[AnyDrive] = [_power_drive(draw, "D0", str(draw.one(*names)), plain)]
    if draw.chance(0.3):
        drives.append(_power_drive(draw, "D1", str(draw.one(*names)), plain, acts=draw.one("heats", "heats", "cools")))
    if draw.chance(0.25):
        drives.append(_fan(draw, "D2", plain))
    if draw.chance(0.2):
        drives.append(_valve(draw, "D3", draw.one(None, *names), plain))
    movers = [drive.name for drive in drives if drive.moves]
    links: list[Link] = []
    for i, name in enumerate(names):
        to = SURROUNDINGS if i == 0 or draw.chance(0.3) else str(draw.one(*names[:i]))
        links.append(_link(draw, name, to, movers))
    rig_draws: tuple[DrawOff, ...] = ()
    if draw.chance(0.3):
        inlet = draw.between(2, 40) if plain or draw.chance(0.6) else None
        rig_draws = (
            DrawOff(name="Tap", body=str(draw.one(*names)), flow_W_per_K=draw.log(0.1, 5), inlet_degC=inlet,
                    always=draw.chance(0.3)),
        )  # fmt: skip
    return Rig(
        bodies=bodies, links=tuple(links), draw_offs=rig_draws, drives=tuple(drives), sharing=draw.one("equal", "priority"),
        probes=_probes(draw, names, h, plain), surroundings=Surroundings(temperature_degC=outside),
    )  # fmt: skip


def _body(draw: Draw, name: str, outside: float) -> Body:
    melting = None
    if draw.chance(0.15):
        start = draw.between(30, 80)
        melting = Melting(from_degC=start, to_degC=start + draw.log(0.5, 20), latent_J=draw.log(1000, 50_000))
    return Body(
        name=name, capacity_J_per_K=draw.log(20, 5000), start_degC=draw.one(None, draw.between(outside, outside + 40)),
        own_heat_W=draw.one(0.0, 0.0, draw.between(0, 20)), melting=melting,
    )  # fmt: skip


def _link(draw: Draw, a: str, b: str, movers: list[str]) -> Link:
    radiating = draw.log(0.001, 0.05) if draw.chance(0.2) else 0.0
    driven = draw.one(*movers) if movers and draw.chance(0.5) else None
    return Link(
        a=a, b=b, conductance_W_per_K=draw.log(0.1, 5), radiating_m2=radiating, driven_by=driven,
        full_W_per_K=draw.log(0.5, 8) if driven else 0.0, flow_exponent=draw.one(0.8, 1.0, 0.5, draw.between(0.4, 1.5)),
        opened_W_per_K=draw.log(0.5, 6),
    )  # fmt: skip


def _power_drive(draw: Draw, name: str, body: str, plain: bool, acts: str = "heats") -> AnyDrive:
    common: dict[str, Any] = {
        "name": name, "body": body, "power_W": draw.log(20, 400), "acts": acts, "resistive": draw.chance(0.7),
        "dead_time_s": draw.one(0.0, draw.between(0, 20)),
    }  # fmt: skip
    kind = draw.one(Relay, SlowWindow, Pwm)
    if kind is Relay:
        return Relay(
            **common,
            shortest_on_s=draw.one(0.0, draw.between(1, 30)),
            shortest_off_s=draw.one(0.0, draw.between(1, 30)),
            operate_s=draw.one(0.0, draw.between(0, 0.5)),
        )
    if kind is SlowWindow:
        window = draw.one(2.0, draw.between(0.5, 20))
        return SlowWindow(
            **common, window_s=window, shortest_pulse_s=draw.one(0.0, window * 0.1), resolution_s=draw.one(0.0, 0.01)
        )
    return Pwm(**common, **_fast(draw, plain))


def _fast(draw: Draw, plain: bool) -> dict[str, Any]:
    floor = draw.one(0.0, draw.between(0.05, 0.4))
    return {
        "steps": draw.one(255, 1023, 65535), "floor": floor, "top": draw.one(1.0, draw.between(0.5, 1.0)),
        "off_below": draw.one(None, floor / 2), "kick_start_s": 0.0 if plain else draw.one(0.0, draw.between(0.2, 8)),
    }  # fmt: skip


def _fan(draw: Draw, name: str, plain: bool) -> Fan:
    return Fan(
        name=name, acts=draw.one("cools", "heats"), speed_lag_s=draw.one(0.0, draw.between(0.5, 10)),
        stalls_below=draw.between(0, 0.4), dead_time_s=draw.one(0.0, draw.between(0, 5)), **_fast(draw, plain),
    )  # fmt: skip


def _valve(draw: Draw, name: str, body: str | None, plain: bool) -> Valve:
    return Valve(
        name=name, acts=draw.one("heats", "cools"), body=body, power_W=draw.log(20, 200), travel_s=draw.between(5, 60),
        backlash=0.0 if plain else draw.one(0.0, draw.between(0, 0.2)), lowest=draw.one(0.0, draw.between(0, 0.2)),
        highest=draw.one(1.0, draw.between(0.6, 1.0)), dead_time_s=draw.one(0.0, draw.between(0, 5)),
    )  # fmt: skip


def _probes(draw: Draw, names: list[str], h: float, plain: bool) -> tuple[Probe, ...]:
    count = int(draw.rng.integers(1, 4))
    return tuple(
        _probe(draw, f"P{i}", str(draw.one(*names)), "control" if i == 0 else "watch", h, plain) for i in range(count)
    )


def _probe(draw: Draw, name: str, body: str, role: str, h: float, plain: bool) -> Probe:
    dead = 0.0
    if draw.chance(0.4):
        dead = h * int(draw.rng.integers(1, 8)) if plain or draw.chance(0.2) else draw.between(0, 25)
    correction = None
    if draw.chance(0.2):
        correction = Correction(shown_low_degC=1, true_low_degC=0, shown_high_degC=98, true_high_degC=100)
    return Probe(
        name=name, body=body, role=role, lag_s=draw.one(0.0, draw.between(0.5, 40)), dead_time_s=dead,
        noise_K=draw.one(0.0, 0.0, draw.between(0.01, 0.3)), resolution_K=draw.one(0.0, 0.0, 0.0625, 0.25), interval_s=h,
        offset_K=draw.one(0.0, draw.between(-3, 3)), slope=draw.one(1.0, draw.between(0.95, 1.05)),
        converter=Converter(bits=draw.one(10, 12), sensor=draw.one("ntc", "even")) if draw.chance(0.15) else None,
        correction=correction,
    )  # fmt: skip


def _controller(draw: Draw, rig: Rig) -> OnOff | Pid:
    if draw.chance(0.35):
        return OnOff(
            below_K=draw.log(0.1, 5), above_K=draw.log(0.1, 5), shortest_on_s=draw.one(0.0, draw.between(1, 40)),
            shortest_off_s=draw.one(0.0, draw.between(1, 40)), confirm_s=draw.one(0.0, draw.between(1, 10)),
            decide_every_s=draw.one(0.0, draw.between(1, 20)), once=draw.chance(0.05),
        )  # fmt: skip
    return Pid(
        terms=draw.one("P", "PI", "PID"), kp_per_K=draw.log(0.005, 0.5), ti_s=draw.log(20, 2000), td_s=draw.log(1, 60),
        setpoint_weight=draw.one(1.0, draw.between(0, 1)), derivative_weight=draw.one(0.0, draw.between(0, 1)),
        filter_n=draw.one(8.0, draw.between(2, 20)), bias=draw.one(0.0, draw.between(0, 0.4)),
        low=-1.0 if rig.heats and rig.cools else draw.one(0.0, draw.between(0, 0.2)), high=draw.one(1.0, draw.between(0.5, 1)),
        rate_per_s=draw.one(None, None, draw.log(0.002, 0.2)), anti_windup=draw.one("none", "hold", "back_calculation"),
        tracking_s=draw.one(None, draw.log(10, 500)),
    )  # fmt: skip


def _trial(draw: Draw, rig: Rig, h: float, span: float, plain: bool) -> Trial:
    outside = rig.surroundings.temperature_degC
    changes = [
        SetpointChange(
            at_s=0,
            to_degC=outside + draw.between(10, 60),
            ramp_K_per_s=None if plain else draw.one(None, None, draw.log(0.02, 0.5)),
        )
    ]
    for share in (0.4, 0.7):
        if draw.chance(0.5):
            at = span * (share + draw.between(0, 0.2))
            at = h * round(at / h) if plain else at
            changes.append(
                SetpointChange(
                    at_s=at, to_degC=outside + draw.between(0, 60), ramp_K_per_s=draw.one(None, draw.log(0.01, 1))
                )
            )
    events = [event for k in range(int(draw.rng.integers(0, 6))) for event in _event(draw, rig, f"E{k}", span, plain)]
    if plain:
        seen: set[str] = set()
        kept = []
        for event in events:
            key = event.kind + getattr(event, "probe", "")
            if event.kind in ("supply", "probe_fault") and key in seen:
                continue
            seen.add(key)
            kept.append(event)
        events = kept
    return Trial(
        name="Trial", duration_s=span, plan=Plan(changes=tuple(changes)), events=tuple(events), seed=int(draw.rng.integers(1000)),
        start_degC=draw.one(None, None, outside + draw.between(0, 40)), band_K=0.5,
    )  # fmt: skip


def _event(draw: Draw, rig: Rig, name: str, span: float, plain: bool) -> list[Any]:
    common: dict[str, Any] = {
        "name": name,
        "at_s": draw.between(1, 0.9 * span) if plain or draw.chance(0.9) else 0.0,
        "lasts_s": draw.one(None, draw.between(5, 0.4 * span)),
    }
    bodies = rig.body_names
    kind = draw.one("door", "surroundings", "load", "part", "draw", "supply", "fault")
    if kind == "door":
        to = SURROUNDINGS if len(bodies) == 1 or draw.chance(0.5) else None
        a = str(draw.one(*bodies))
        b = to or str(draw.one(*(name for name in bodies if name != a)))
        return [DoorOpens(**common, body=a, to=b, conductance_W_per_K=draw.log(0.5, 10))]
    if kind == "surroundings":
        return [SurroundingsChange(**common, change_K=draw.between(-15, 15))]
    if kind == "load":
        return [Load(**common, body=str(draw.one(*bodies)), power_W=draw.between(-30, 60))]
    if kind == "part":
        return [ColdPart(**common, body=str(draw.one(*bodies)), capacity_J_per_K=draw.log(5, 2000),
                         part_degC=draw.between(-20, 120), contact_W_per_K=draw.log(0.2, 20))]  # fmt: skip
    if kind == "draw":
        taps = [tap for tap in rig.draw_offs if not (plain and tap.always)]
        return [DrawOffRuns(**common, draw_off=taps[0].name)] if taps else []
    if kind == "supply":
        if (plain and any(drive.dead_time_s > 0 for drive in rig.drives)) or (plain and rig.response is not None):
            return []
        return [SupplyChange(**common, to=draw.one(0.0, 0.5, 0.9, 1.1, draw.between(0.3, 1.2)))]
    return [
        ProbeFault(**common, probe=str(draw.one(*(probe.name for probe in rig.probes))), fault=draw.one(*FAULTS),
                   size_K=draw.between(-8, 8), every_s=draw.between(2, 60))
    ]  # fmt: skip


def with_switches(seed: int, rig: Rig, around_degC: float) -> Rig:
    """A rig with switches without software and fans as they are bought, whose levels lie about a temperature."""
    draw = Draw(seed + 777_000)
    if rig.response is not None:
        return rig
    cut_offs = tuple(
        CutOff(
            name=f"Cut {k}", body=str(draw.one(*rig.body_names)), at_degC=around_degC + draw.between(-5, 25),
            resets_K=draw.one(None, draw.between(1, 8)), does=draw.one("contactor", "load"),
        )
        for k in range(int(draw.rng.integers(0, 3)))
    )  # fmt: skip
    drives: list[AnyDrive] = []
    for drive in rig.drives:
        if isinstance(drive, Fan):
            flows = sorted(draw.between(0.05, 0.95) for _ in range(3))
            bought = {"rated_V": 12.0, "supply_V": draw.one(12.0, draw.between(8, 13)), "starts_from": draw.one(None, 0.4),
                      "idle_flow": draw.one(0.0, 0.1), "supply_switch": draw.chance(0.3)}  # fmt: skip
            bought |= (
                dict(zip(("flow_at_25", "flow_at_50", "flow_at_75"), flows, strict=True)) if draw.chance(0.5) else {}
            )
            drives.append(drive.model_copy(update=bought))
        elif getattr(drive, "acts", "") == "heats" and hasattr(drive, "dial_degC") and draw.chance(0.3):
            dial = {"dial_degC": around_degC + draw.between(0, 20), "dial_band_K": draw.between(1, 6)}
            drives.append(drive.model_copy(update=dial))
        else:
            drives.append(drive)
    return rig.model_copy(update={"guards": cut_offs, "drives": tuple(drives)})
