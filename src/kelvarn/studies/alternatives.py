"""Rigs and laws that differ from a project's in one thing: what "why" takes away, and what might help."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any

from pydantic import ValidationError

from kelvarn.engine.step import averaged_drive
from kelvarn.model.bodies import Body
from kelvarn.model.candidate import Controller
from kelvarn.model.curve import Curve
from kelvarn.model.drives import Pwm
from kelvarn.model.edit import with_each, with_fields
from kelvarn.model.fields import SURROUNDINGS
from kelvarn.model.on_off import OnOff
from kelvarn.model.pid import Pid
from kelvarn.model.rig import Rig
from kelvarn.sentence import figures, say
from kelvarn.units import Quantity, show

_ENDLESS = 20.0  # times the power stands for a drive without a limit
_LIGHT = 0.02  # of its heat capacity stands for a body that stores none
_HUNTS_K = 2.0  # hysteresis of a step that does not hunt
_LEAST_GAIN, _MOST_W, _MOST_STEPS = 1e-6, 1e7, 65535  # of the model
_SHORTEST_S = 0.02  # an interval that can be halved
_OF_ALL = 0.02  # share of the rig's heat capacity below which a body's is not looked at


@dataclass(frozen=True)
class Alternative:
    """A rig and a law that differ in one thing.

    Attributes:
        words: what differs.
        rig, law: to run.
        of_rig: whether it is the rig that differs.
    """

    words: str
    rig: Rig
    law: Controller
    of_rig: bool = False


def _probe_with(rig: Rig, **fields: Any) -> Rig:
    return with_each(rig, "probes", lambda probe: fields if probe.role == "control" else {})


def _drives_with(rig: Rig, **fields: Any) -> Rig:
    return with_each(rig, "drives", lambda drive: {name: v for name, v in fields.items() if hasattr(drive, name)})


def _scaled(rig: Rig, factor: float) -> Rig:
    """The rig with drives of another power; of fans and valves that only move something, nothing changes."""
    if rig.response is not None:
        response = with_fields(
            rig.response, gain_K=rig.response.gain_K * factor, rise_K_per_s=rig.response.rise_K_per_s * factor
        )
        return with_fields(rig, response=response)
    return with_each(rig, "drives", lambda d: {"power_W": d.power_W * factor} if d.heated_body is not None else {})


def _capacity(rig: Rig, name: str, factor: float) -> Rig:
    def change(body: Body) -> dict[str, float]:
        return {"capacity_J_per_K": max(body.capacity_J_per_K * factor, 0.01)} if body.name == name else {}

    return with_each(rig, "bodies", change)


def taken_away(rig: Rig, law: Controller) -> Iterator[Alternative]:
    """The rig and law with one thing taken away at a time, of what there is."""
    taken_away_of = _TAKEN_AWAY.get(type(law))
    if taken_away_of is not None:
        yield from taken_away_of(rig, law)
    yield from _without_delays(rig, law)
    total = sum(body.capacity_J_per_K for body in rig.bodies)
    for body in rig.bodies:
        if body.name != rig.probe.body and body.capacity_J_per_K > _OF_ALL * total:
            light = _capacity(rig, body.name, _LIGHT)
            yield Alternative(say("heat stored in {body}", body=body.name), light, law, of_rig=True)
    probe = rig.probe
    if probe.noise_K > 0 or probe.resolution_K > 0 or probe.converter is not None:
        clear = _probe_with(rig, noise_K=0.0, resolution_K=0.0, converter=None)
        yield Alternative(say("noise and steps of the probe"), clear, law, of_rig=True)
    smooth = tuple(averaged_drive(drive) for drive in rig.drives)
    if not law.switches and smooth != rig.drives:
        yield Alternative(say("the drive's switching"), with_fields(rig, drives=smooth), law, of_rig=True)


def _of_on_off_without(rig: Rig, law: OnOff) -> Iterator[Alternative]:
    yield Alternative(say("its own band"), rig, with_fields(law, notation="edges", below_K=0.0, above_K=0.0))
    if law.shortest_on_s or law.shortest_off_s or law.confirm_s or law.decide_every_s:
        prompt = with_fields(law, shortest_on_s=0.0, shortest_off_s=0.0, confirm_s=0.0, decide_every_s=0.0)
        yield Alternative(say("its delays"), rig, prompt)


def _of_curve_without(rig: Rig, law: Curve) -> Iterator[Alternative]:
    if law.shape == "steps" and any(step.back_off_K < _HUNTS_K for step in law.steps):
        wide = tuple(with_fields(step, back_off_K=max(step.back_off_K, _HUNTS_K)) for step in law.steps)
        yield Alternative(say("steps with little or no hysteresis"), rig, with_fields(law, steps=wide))


def _of_pid_without(rig: Rig, law: Pid) -> Iterator[Alternative]:
    if law.integrates:
        if law.anti_windup != "hold":
            still = with_fields(law, anti_windup="hold")
            yield Alternative(say("its integral wound up while at the limit"), rig, still)
        if law.acting_weight > 0:
            calm = with_fields(law, setpoint_weight=0.0, derivative_weight=0.0)
            yield Alternative(say("setpoint step seen by the gain"), rig, calm)
    else:
        yield Alternative(say("having no integral"), rig, with_fields(law, terms="PI"))
    if law.rate_per_s is not None:
        yield Alternative(say("the rate limit"), rig, with_fields(law, rate_per_s=None))
    else:
        yield from _without_limit(rig, law)


_TAKEN_AWAY: dict[type, Callable[[Rig, Any], Iterator[Alternative]]] = {
    OnOff: _of_on_off_without, Curve: _of_curve_without, Pid: _of_pid_without,
}  # fmt: skip
"""What can be taken away of each law; of a drive set by hand nothing can."""


def _without_limit(rig: Rig, law: Pid) -> Iterator[Alternative]:
    """A drive of so many times the power, asked for so much less: the same loop, but for the limit.

    All that is a share of the drive is made as much smaller. Where that cannot be, it is left out: pulses of a slow
    window and what a relay gives have no such share, a fan's flow is not its power, a kick-start is at the top.
    """
    simple = [d for d in rig.drives if isinstance(d, Pwm) and not d.kick_start_s and d.power_W * _ENDLESS <= _MOST_W]
    if len(simple) != len(rig.drives) or law.kp_per_K <= _ENDLESS * _LEAST_GAIN:
        return
    drives = [
        with_fields(
            drive, steps=min(round(drive.steps * _ENDLESS), _MOST_STEPS), floor=drive.floor / _ENDLESS,
            off_below=None if drive.off_below is None else drive.off_below / _ENDLESS,
        )
        for drive in simple
    ]  # fmt: skip
    shares = ("kp_per_K", "bias", "memory_low", "memory_high", "dead_band", "feed_per_K")
    weaker = {name: getattr(law, name) / _ENDLESS for name in shares if getattr(law, name) is not None}
    if law.low > 0:
        weaker["low"] = law.low / _ENDLESS
    stronger = _scaled(with_fields(rig, drives=tuple(drives)), _ENDLESS)
    yield Alternative(say("the drive's limit"), stronger, with_fields(law, **weaker), of_rig=True)


def _without_delays(rig: Rig, law: Controller) -> Iterator[Alternative]:
    probe, response = rig.probe, rig.response
    dead_s = sum(drive.dead_time_s + getattr(drive, "operate_s", 0.0) for drive in rig.drives) + probe.dead_time_s
    dead_s += response.dead_time_s if response is not None else 0.0
    if dead_s > 0:
        without = _probe_with(_drives_with(rig, dead_time_s=0.0, operate_s=0.0), dead_time_s=0.0)
        if response is not None:
            without = with_fields(without, response=with_fields(response, dead_time_s=0.0))
        yield Alternative(say("dead time {dead}", dead=show(dead_s, Quantity.DURATION)), without, law, of_rig=True)
    if probe.lag_s > 0:
        words = say("probe lag {lag}", lag=show(probe.lag_s, Quantity.DURATION))
        yield Alternative(words, _probe_with(rig, lag_s=0.0), law, of_rig=True)
    if probe.interval_s > _SHORTEST_S:
        words = say("reading only every {interval}", interval=show(probe.interval_s, Quantity.DURATION))
        yield Alternative(words, _probe_with(rig, interval_s=probe.interval_s / 2), law, of_rig=True)


def remedies(rig: Rig, law: Controller, holding: tuple[float, float] | None) -> Iterator[Alternative]:
    """What might help, of control and of the rig.

    Args:
        rig, law: as they are.
        holding: drive for each kelvin that holds a setpoint, and where the rig rests; None where that is not known.
    """
    yield from (each for each in _of_law(rig, law, holding) if each.law != law)
    yield from _of_rig(rig, law)


def _of_law(rig: Rig, law: Controller, holding: tuple[float, float] | None) -> Iterator[Alternative]:
    changes_of = _CHANGES.get(type(law))
    for words, fields in changes_of(law, holding) if changes_of is not None else ():
        try:
            yield Alternative(words, rig, with_fields(law, **fields))
        except ValidationError:
            continue  # out of range: no remedy


Changes = list[tuple[str, dict[str, Any]]]
"""What may help: in words, and the settings that are other."""


def _of_on_off(law: OnOff, _holding: tuple[float, float] | None) -> Changes:
    found: Changes = []
    if law.notation == "edges":
        for factor, word in (
            (0.5, say("half the band")),
            (0.25, say("a quarter of the band")),
            (2.0, say("twice the band")),
        ):
            found.append((word, {"below_K": law.below_K * factor, "above_K": law.above_K * factor}))
        middle = (law.below_K + law.above_K) / 2
        found.append((say("switch off earlier"), {"above_K": 0.0, "below_K": max(middle, law.below_K)}))
        if law.shortest_on_s or law.shortest_off_s:
            found.append((say("no shortest times"), {"shortest_on_s": 0.0, "shortest_off_s": 0.0}))
    return found


def _of_curve(law: Curve, _holding: tuple[float, float] | None) -> Changes:
    found: Changes = []
    if law.shape == "steps":
        wide = tuple(with_fields(step, back_off_K=max(2 * step.back_off_K, 2.0)) for step in law.steps)
        found.append((say("more hysteresis at each step"), {"steps": wide}))
    return [*found, (say("change slowly: 2 % per s"), {"rate_per_s": 0.02})]


def _of_pid(law: Pid, holding: tuple[float, float] | None) -> Changes:
    found: Changes = []
    for factor, word in ((0.5, say("half the gain")), (0.7, say("gain ×0.7")),
                         (1.5, say("gain ×1.5")), (2.0, say("twice the gain"))):  # fmt: skip
        found.append((word, {"kp_per_K": law.kp_per_K * factor}))
    if law.integrates:
        for kind, word in (
            ("hold", say("hold the integral while limited")),
            ("back_calculation", say("pull the integral back")),
        ):
            found.append((word, {"anti_windup": kind, "tracking_s": None}))
        for factor, word in ((0.5, say("half the integral time")), (0.7, say("integral time ×0.7")),
                             (1.5, say("integral time ×1.5")), (2.0, say("twice the integral time"))):  # fmt: skip
            found.append((word, {"ti_s": law.ti_s * factor}))
        found += [
            (
                say(
                    "setpoint weight {was} → {weight}",
                    was=figures(f"{law.setpoint_weight:g}", ""),
                    weight=figures(f"{weight:g}", ""),
                ),
                {"setpoint_weight": weight},
            )
            for weight in (0.6, 0.3)
            if weight < law.setpoint_weight
        ]
    if law.terms == "PI":
        found.append((say("add a derivative time"), {"terms": "PID", "td_s": law.ti_s / 8}))
    if law.terms == "P":
        found.append((say("add an integral"), {"terms": "PI"}))
    if holding is not None and law.feed_per_K is None:
        per_K, rest_degC = holding
        words = say("feed-forward of what holds the setpoint")
        found.append((words, {"feed_per_K": float(f"{per_K:.3g}"), "feed_from_degC": round(rest_degC, 1)}))
    return found


_CHANGES: dict[type, Callable[[Any, tuple[float, float] | None], Changes]] = {
    OnOff: _of_on_off, Curve: _of_curve, Pid: _of_pid,
}  # fmt: skip
"""What may help each law; a drive set by hand has none."""


def _of_rig(rig: Rig, law: Controller) -> Iterator[Alternative]:
    probe = rig.probe
    for body in rig.bodies:
        if body.name != probe.body:
            # What is judged stays where it was.
            moved = with_fields(_probe_with(rig, body=body.name), judged=rig.judged_body)
            yield Alternative(
                say("probe from {body} to {other}", body=probe.body, other=body.name), moved, law, of_rig=True
            )
    outer = [link for link in rig.links if SURROUNDINGS in (link.a, link.b) and link.driven_by is None]
    if outer:
        insulated = with_each(
            rig, "links", lambda link: {"conductance_W_per_K": link.conductance_W_per_K / 2} if link in outer else {}
        )
        yield Alternative(say("insulation ×2"), insulated, law, of_rig=True)
    heated = {drive.heated_body for drive in rig.drives if drive.heated_body is not None}
    if heated:
        yield Alternative(say("half the power"), _scaled(rig, 0.5), law, of_rig=True)
        yield Alternative(say("twice the power"), _scaled(rig, 2.0), law, of_rig=True)
    for body in rig.bodies:
        if body.name in heated and body.name != probe.body:
            yield Alternative(
                say("{body} half as heavy", body=body.name), _capacity(rig, body.name, 0.5), law, of_rig=True
            )
    if probe.lag_s > 0:
        quicker = max(probe.lag_s * 0.4, 0.1)
        words = say("quicker probe, lag {lag} → {quicker} s", lag=figures(f"{probe.lag_s:g}", ""),
                    quicker=figures(f"{quicker:.3g}", ""))  # fmt: skip
        yield Alternative(words, _probe_with(rig, lag_s=float(f"{quicker:.3g}")), law, of_rig=True)
    if any(drive.dead_time_s > 0 for drive in rig.drives):
        quicker_drives = with_each(rig, "drives", lambda drive: {"dead_time_s": drive.dead_time_s / 2})
        yield Alternative(say("half the dead time"), quicker_drives, law, of_rig=True)
    if probe.interval_s > _SHORTEST_S:
        yield Alternative(
            say("read twice as often"), _probe_with(rig, interval_s=probe.interval_s / 2), law, of_rig=True
        )
