"""A rig as records: bodies, links, drives and probes of the model, for the kernel and for sums without one."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

from kelvarn.model import bodies as model
from kelvarn.model import guards
from kelvarn.model.drives import AnyDrive
from kelvarn.model.fields import SURROUNDINGS
from kelvarn.model.probes import Probe
from kelvarn.model.rig import Rig

from .icing import CP_J_PER_KGK, FUSION_J_PER_KG, humidity_over, layer_K_per_W
from .plant import (
    NONE,
    TIME_EPS,
    BodyRecord,
    ConverterKind,
    CurvePoint,
    CutOffRecord,
    Drive,
    DriveKind,
    IceRecord,
    LinkRecord,
    ProbeRecord,
    Sharing,
)

Floats = npt.NDArray[np.float64]
Codes = npt.NDArray[np.int32]

STEFAN_BOLTZMANN_W_PER_M2K4 = 5.670374419e-8
_KINDS = {
    "relay": DriveKind.RELAY,
    "slow_window": DriveKind.SLOW_WINDOW,
    "pwm": DriveKind.PWM,
    "fan": DriveKind.PWM,
    "valve": DriveKind.VALVE,
}
_OWN = (
    "speed_lag_s", "stalls_below", "starts_from", "idle_flow", "flow_at_25", "flow_at_50", "flow_at_75",
    "shortest_on_s", "shortest_off_s", "operate_s", "window_s", "shortest_pulse_s", "resolution_s",
    "steps", "floor", "top", "off_below", "kick_start_s", "travel_s", "backlash", "lowest", "highest",
)  # fmt: skip
"""Fields that a drive's record has under the names of the model; 0 for the kinds that lack them."""


@dataclass(frozen=True)
class PutIn:
    """A part that is put in during a trial: a body of its own, of so many J/K, that starts at this temperature."""

    capacity_J_per_K: float
    start_degC: float


@dataclass(frozen=True)
class Layout:
    """A rig as records.

    Attributes:
        bodies, links, drives: in the order of the model; links of doors and of draw-offs may follow.
        ices: of the links on which ice grows.
        entry: where heat for a body of a name enters; for two lags in a row, into the first.
        outside_degC: temperature of the surroundings.
        first_put_in: index of the first part that is put in during the trial.
    """

    bodies: list[BodyRecord]
    links: list[LinkRecord]
    drives: list[Drive]
    ices: list[IceRecord]
    entry: dict[str, int]
    outside_degC: float
    first_put_in: int

    def end(self, name: str) -> int:
        """Index of an end of a link."""
        return len(self.bodies) if name == SURROUNDINGS else self.entry[name]


def lay_out(rig: Rig, start_degC: float | None = None, put_in: Sequence[PutIn] = ()) -> Layout:
    """Lay a rig out.

    Args:
        rig: what is laid out.
        start_degC: where every body starts; None for a cold start.
        put_in: parts that follow the rig's own bodies, linked to nothing yet.
    """
    outside = rig.surroundings.temperature_degC
    bodies = [_body(body, outside, start_degC) for body in rig.all_bodies]
    entry = {body.name: i for i, body in enumerate(rig.all_bodies)}
    links: list[LinkRecord] = []
    if rig.response is not None and rig.response.kind == "two_lags":
        # The named body is the second lag; the first one, not shown, is what the heat enters.
        entry[rig.response.name] = 1
        bodies = [BodyRecord(bodies[0].start_degC, 1.0, 0.0, 0.0, 0.0, driven=False), bodies[0]]
        links.append(still_link(1, 0, 1 / rig.response.lag2_s, one_way=True))
    first_put_in = len(bodies)
    bodies += [BodyRecord(part.start_degC, 1 / part.capacity_J_per_K, 0.0, 0.0, 0.0, driven=False) for part in put_in]
    for link in rig.all_links:
        a, b = (len(bodies) if end == SURROUNDINGS else entry[end] for end in (link.a, link.b))
        links.append(link_record(rig, link, a, b))
    drives = [_drive(rig, drive, entry) for drive in rig.drives]
    for drive in drives:
        if drive.acts_on >= 0:
            bodies[drive.acts_on].driven = True
    ices = _ices(rig, bodies, links, drives)
    return Layout(bodies, links, drives, ices, entry, outside, first_put_in)


def _ices(rig: Rig, bodies: list[BodyRecord], links: list[LinkRecord], drives: list[Drive]) -> list[IceRecord]:
    """Where ice grows; links and drives learn of it."""
    found: list[IceRecord] = []
    for place, link in enumerate(rig.links, len(links) - len(rig.links)):
        icing, record = link.icing, links[place]
        if icing is None:
            continue
        body = record.a if icing.iced == "a" else record.b
        kg_per_K = 1.0 / (FUSION_J_PER_KG * bodies[body].per_capacity_K_per_J)
        record.ice = len(found)
        if record.mover >= 0 and icing.blocks_kg is not None:
            drives[record.mover].ice = len(found)
        found.append(
            IceRecord(
                body=body,
                link=place,
                start_K=icing.start_kg / kg_per_K,
                air_humidity=humidity_over(icing.dew_point_degC)[0],
                takes_K=1.0 / (CP_J_PER_KGK * kg_per_K),
                resists=layer_K_per_W(icing, kg_per_K),
                blocks_K=0.0 if icing.blocks_kg is None else icing.blocks_kg / kg_per_K,
                kg_per_K=kg_per_K,
            )
        )
    return found


def link_record(rig: Rig, link: model.Link, a: int, b: int) -> LinkRecord:
    """A link between two ends by index.

    Args:
        rig, link: the link, and the rig that says what drives it.
        a, b: indices of its ends; that of the surroundings follows the bodies.
    """
    mover = -1 if link.driven_by is None else rig.drive_index(link.driven_by)
    return LinkRecord(
        a=a,
        b=b,
        still_W_per_K=link.conductance_W_per_K,
        full_W_per_K=link.full_W_per_K if mover >= 0 else 0.0,
        flow_exponent=link.flow_exponent,
        radiating_W_per_K4=link.radiating_m2 * STEFAN_BOLTZMANN_W_PER_M2K4,
        mover=mover,
        one_way=False,
    )


def still_link(a: int, b: int, still_W_per_K: float = 0.0, *, one_way: bool = False) -> LinkRecord:
    """A link that only conducts; such as a door, of 0 W/K until it opens."""
    return LinkRecord(a, b, still_W_per_K, 0.0, 1.0, 0.0, -1, one_way)


def is_nonlinear(rig: Rig) -> bool:
    """Whether a rig's heat flow is no plain sum of conductances: it radiates, melts, ices or has a fan or valve."""
    return (
        any(link.radiating_m2 > 0 or link.icing is not None for link in rig.links)
        or any(body.melting is not None for body in rig.bodies)
        or any(drive.moves for drive in rig.drives)
    )


def sharing_of(rig: Rig) -> Sharing:
    """How the drives share a demand."""
    return Sharing.PRIORITY if rig.sharing == "priority" else Sharing.EQUAL


def transport_s(rig: Rig, drive: AnyDrive) -> float:
    """Dead time between what a drive gives and what the body feels: without the delay of its contacts."""
    return drive.dead_time_s + (rig.response.dead_time_s if rig.response is not None else 0.0)


def _body(body: model.Body, outside_degC: float, start_degC: float | None) -> BodyRecord:
    start = start_degC
    if start is None:
        start = outside_degC if body.start_degC is None else body.start_degC
    made = BodyRecord(start, 1 / body.capacity_J_per_K, 0.0, 0.0, 0.0, driven=False)
    if body.melting is not None:
        made.melts_from_degC, made.melted_at_degC = body.melting.from_degC, body.melting.to_degC
        made.latent_K = body.melting.latent_J * made.per_capacity_K_per_J
    made.limit_degC = math.inf if body.limit_degC is None else body.limit_degC
    made.low_limit_degC = -math.inf if body.low_limit_degC is None else body.low_limit_degC
    made.ready_K = NONE if body.ready_K is None else body.ready_K
    return made


def _drive(rig: Rig, drive: AnyDrive, entry: dict[str, int]) -> Drive:
    body = drive.heated_body
    if rig.response is not None:
        body = rig.response.name  # whatever kind it is, the answer to it is what is known
    way = 1.0 if drive.acts == "heats" else -1.0
    same = [other for other in rig.drives if other.acts == drive.acts]
    own: dict[str, Any] = {name: float(getattr(drive, name, 0.0) or 0.0) for name in _OWN}
    made = Drive(
        kind=_KINDS[drive.kind],
        acts_on=-1 if body is None else entry[body],
        power_W=drive.power_W if body is None else way * drive.power_W,
        dead_time_s=transport_s(rig, drive),
        direction=way,
        share=1.0 if any(other.moves for other in same) else drive.power_W,
        moves=drive.moves,
        volts=getattr(drive, "volts", 1.0),
        dial_degC=math.inf if (dial := getattr(drive, "dial_degC", None)) is None else dial,
        dial_band_K=getattr(drive, "dial_band_K", 0.0),
        window_ms=max(round(1000 * getattr(drive, "window_s", 0.0)), 1),
        **own,
    )
    made.dead_time_s += made.operate_s
    if getattr(drive, "supply_switch", False):
        made.idle_flow = 0.0
    made.off_below = getattr(drive, "acting_off_below", 0.0)
    made.speed_lag_s = _lag_s(made.speed_lag_s)
    return made


def cut_offs_of(rig: Rig) -> list[CutOffRecord]:
    """The independent thermal cut-offs of a rig, and one that is none at the end."""
    found = []
    for place, guard in enumerate(rig.guards):
        if isinstance(guard, guards.CutOff):
            closes = -math.inf if guard.resets_K is None else guard.at_degC - guard.resets_K
            found.append(CutOffRecord(rig.body_index(guard.body), place, guard.at_degC, closes, guard.does == "load"))
    return [*found, CutOffRecord(0, 0, math.inf, -math.inf, cuts_loads=False)]


def changes_in_a_sample(drive: AnyDrive, h: float) -> int:
    """The most output changes in one sample interval."""
    window_s: float = getattr(drive, "window_s", math.inf)
    return 2 * (math.ceil(h / window_s) + 1) if window_s < math.inf else 2


def probe_record(rig: Rig, probe: Probe) -> ProbeRecord:
    """A probe; where it is read between samples is filled in with the segments."""
    converter, correction = probe.converter, probe.correction
    kind = ConverterKind.NONE if converter is None else _SENSORS[converter.sensor]
    before = sum(len(_curve(each)) for each in rig.probes[: [each.name for each in rig.probes].index(probe.name)])
    return ProbeRecord(
        sits_in=rig.body_index(probe.body),
        lag_s=_lag_s(probe.lag_s),
        late_samples=0,
        peek_segment=-1,
        offset_K=probe.offset_K,
        slope=probe.slope,
        resolution_K=probe.resolution_K,
        lowest_degC=probe.lowest_degC,
        highest_degC=probe.highest_degC,
        converter=kind,
        levels=2.0**converter.bits - 1 if converter is not None else 0.0,
        first_point=before,
        last_point=before + len(_curve(probe)) - 1,
        ohm_at_25_degC=converter.ohm_at_25_degC if converter is not None else 0.0,
        fixed_ohm=converter.fixed_ohm if converter is not None else 0.0,
        beta_K=converter.beta_K if converter is not None else 0.0,
        corrects=correction is not None,
        correct_slope=correction.slope if correction is not None else 1.0,
        correct_shown_degC=correction.shown_low_degC if correction is not None else 0.0,
        correct_true_degC=correction.true_low_degC if correction is not None else 0.0,
        plain=converter is None and correction is None and probe.offset_K == 0 and probe.slope == 1,
    )


_SENSORS = {
    "even": ConverterKind.EVEN, "ntc": ConverterKind.NTC,
    "ohm_curve": ConverterKind.OHM_CURVE, "volt_curve": ConverterKind.VOLT_CURVE,
}  # fmt: skip


def curves_of(rig: Rig) -> list[CurvePoint]:
    """Points of all sensors that have a table, in the order of the probes."""
    return [point for probe in rig.probes for point in _curve(probe)]


def _curve(probe: Probe) -> list[CurvePoint]:
    if probe.converter is None or not probe.converter.by_table:
        return []
    return [CurvePoint(point.degC, share) for point, share in probe.converter.shares]


def _lag_s(lag_s: float) -> float:
    """A lag that is none for all that can be seen is none: its inverse might not be a number."""
    return lag_s if lag_s > TIME_EPS else 0.0


def fastest_1_per_s(layout: Layout, opened: Sequence[tuple[int, int, float]], drawn: Sequence[tuple[int, float]],
                    rig: Rig) -> float:  # fmt: skip
    """Fastest rate of a linear rig.

    It is bounded by 2·max(ΣG/C) (Gershgorin's circles of the heat-flow matrix), all doors open, all draw-offs running.

    Args:
        layout, rig: the rig.
        opened: ends and W/K of doors; drawn: body and W/K of draw-offs.
    """
    sums = [0.0] * (len(layout.bodies) + 1)
    for a, b, conductance in [(link.a, link.b, link.still_W_per_K) for link in layout.links] + list(opened):
        sums[a] += conductance
        sums[b] += conductance
    for body, flow in drawn:
        sums[body] += flow
    rates = [total * body.per_capacity_K_per_J for total, body in zip(sums, layout.bodies, strict=False)]
    return max(*rates, *(1 / lag for probe in rig.probes if (lag := _lag_s(probe.lag_s)) > 0), 0.0)
