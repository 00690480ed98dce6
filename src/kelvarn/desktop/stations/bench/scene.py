"""The live strip: measured over expected, the difference in words, the drive, what happened; and what is to come."""

import math

import numpy as np

from kelvarn.desktop.language import tell
from kelvarn.desktop.strip.lane import Band, Label, Lane, LaneSpan, LaneTrace, Shown, ValueAxis
from kelvarn.link.bench.live import Live, difference, difference_words, known_of
from kelvarn.units import Quantity, show, usual_unit

_EVENTS_HEIGHT, _AHEAD_SHARE, _LEAST_S, _ROUND_S = 58, 0.4, 1800.0, 600.0
_DRIVE = ValueAxis(Quantity.DRIVE, fixed=(0.0, 1.0), ticks=(0.0, 1.0))
_BOTH = ValueAxis(Quantity.DRIVE, fixed=(-1.0, 1.0), ticks=(-1.0, 0.0, 1.0))
_MOST_ROWS = 3
_MEASURED, _EXPECTED = 1, 4


def live_lanes(live: Live) -> Shown:
    """Lanes of a device that is watched."""
    history = live.session.history
    end_s = _end_s(live)
    lanes = [_temperature(live, end_s)]
    if live.expected is not None and history.count > 1:
        lanes.append(_difference(live))
    lanes += [_drive(live), _events(live, end_s)]
    return Shown(tuple(lanes), end_s, history.of("time_s"))


def _end_s(live: Live) -> float:
    """The end of the time axis: a good part of it lies ahead, and it does not move with every sample."""
    ahead_s = max(_LEAST_S, live.session.time_s * _AHEAD_SHARE)
    return math.ceil((live.session.time_s + ahead_s) / _ROUND_S) * _ROUND_S


def _temperature(live: Live, end_s: float) -> Lane:
    history, session, scale = live.session.history, live.session, live.scale
    time_s, measured = known_of(history.of("time_s"), history.of("measured_degC"))
    traces = []
    rig = session.carried.project.rig
    for place, probe in enumerate(rig.probes):
        if place != rig.control_index:
            at, values = known_of(history.of("time_s"), history.probe(place))
            traces.append(LaneTrace(probe.name, at, values, 3, faded=True, named=True))
    if live.expected is not None:
        run = live.expected.run
        at = run.time_s + live.expected.from_s
        kept = at <= end_s
        traces.append(LaneTrace("expected", at[kept], run.measured_degC[kept], _EXPECTED, faded=True))
    labels: tuple[Label, ...] = ()
    if live.future is not None:
        at_s, future = live.future
        at = future.time_s + at_s
        kept = (at <= end_s) & (at >= session.time_s)
        if kept.any():
            traces.append(LaneTrace(tell("expected from now"), at[kept], future.degC[kept], 2))
            says = _comes(live)
            if says:
                labels = (Label(says, float(at[kept][0]), float(future.degC[kept][0]), "muted", "since"),)
    if live.provoked is not None:
        at = live.provoked.expected.time_s + live.provoked.at_s
        kept = at <= end_s
        name = tell("expected, {provoked}", provoked=live.provoked.name)
        traces.append(LaneTrace(name, at[kept], live.provoked.expected.degC[kept], 5))
    traces.append(LaneTrace("measured", time_s, measured, _MEASURED, strong=True))
    bands: tuple[Band, ...] = ()
    if history.count:
        half = session.carried.trial.band_K
        setpoint = history.of("setpoint_degC")
        bands = (Band(history.of("time_s"), setpoint, half, None),)
    spans = (LaneSpan(session.time_s, end_s, "", "hairline", faint=True),) if history.count else ()
    title = tell("Measured and expected, {scale}", scale=scale.value)
    return Lane(
        "live", title, ValueAxis(Quantity.TEMPERATURE, scale), weight=5.0, traces=tuple(traces), bands=bands,
        labels=labels, spans=spans, nothing=tell("Nothing was measured yet."),
    )  # fmt: skip


def _comes(live: Live) -> str:
    """When the setpoint is reached, as expected from now; empty where it is there, or never comes."""
    if live.future is None or live.session.last is None or live.session.last.reading_degC is None:
        return ""
    band = live.session.carried.trial.band_K
    _, future = live.future
    off = np.abs(future.degC - future.setpoint_degC) <= band
    if off[0] or not off.any():
        return ""
    return tell("at the setpoint in {time}", time=show(float(future.time_s[int(np.argmax(off))]), Quantity.DURATION))


def _difference(live: Live) -> Lane:
    at, off = difference(live)
    axis = ValueAxis(Quantity.DIFFERENCE, live.scale, least=1.0)
    title = tell("Measured − expected, {unit}", unit=usual_unit(Quantity.DIFFERENCE, live.scale))
    labels: tuple[Label, ...] = ()
    if said := difference_words(at, off, live.scale):
        worst = int(np.argmax(np.abs(off)))
        labels = (Label(said, float(at[worst]), float(off[worst]), "glacier" if off[worst] < 0 else "ember", "all"),)
    return Lane("difference", title, axis, weight=1.3, traces=(LaneTrace("difference", at, off, 0),), labels=labels,
                also=(0.0,))  # fmt: skip


def _drive(live: Live) -> Lane:
    history, rig = live.session.history, live.session.carried.project.rig
    time_s = history.of("time_s")
    both = rig.heats and rig.cools
    axis = _BOTH if both else _DRIVE
    low = -1.0 if both else 0.0
    asked = np.clip(history.of("asked"), low, 1.0)
    traces = [
        LaneTrace("asked", time_s, asked, 2, faded=True),
        LaneTrace("given", time_s, history.of("given"), 3, filled=True),
    ]
    if live.future is not None:
        at_s, future = live.future
        traces.append(LaneTrace(tell("given, expected"), future.time_s + at_s, future.given, 2, drawn=False))
    return Lane("drive", tell("Drive asked · given, %"), axis, weight=1.5, traces=tuple(traces))


def _events(live: Live, end_s: float) -> Lane:
    history = live.session.history
    spans = []
    rows: list[float] = [-math.inf] * _MOST_ROWS
    for moment in history.moments:
        room = end_s / 40 + len(moment.text) * end_s / 130
        row = next((k for k in range(_MOST_ROWS) if rows[k] <= moment.at_s), _MOST_ROWS - 1)
        rows[row] = moment.at_s + room
        spans.append(LaneSpan(moment.at_s, moment.at_s + end_s / 400, moment.text, "gold", row=row))
    return Lane("events", tell("What happened"), None, _EVENTS_HEIGHT, spans=tuple(spans), below_title=True,
                nothing="" if spans else tell("nothing yet"))  # fmt: skip
