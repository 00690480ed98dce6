"""Lanes of the drive: what is given, asked and put out, the terms it is made of, flow, on-times."""

from collections.abc import Iterator
from weakref import WeakKeyDictionary

import numpy as np
import numpy.typing as npt

from kelvarn.desktop.language import tell
from kelvarn.desktop.strip.lane import Bars, Lane, LaneSpan, LaneTrace, ValueAxis, Wave
from kelvarn.engine.guard_records import RULERS, Ruler
from kelvarn.engine.layout import Floats
from kelvarn.engine.measures import at_limit
from kelvarn.engine.pulses import on_times, pulses_of
from kelvarn.engine.run import Run
from kelvarn.sentence import joined, say
from kelvarn.units import Quantity, minutes, show

from .scene import CandidateEntry, Scene

_LEAST_SAID_S = 20.0
_NOTHING = 0.005  # of drive
_BARCODE_HEIGHT = 40
_OF_DRIVE = ValueAxis(Quantity.DRIVE, fixed=(0.0, 1.0), ticks=(0.0, 1.0))
_BOTH_WAYS = ValueAxis(Quantity.DRIVE, fixed=(-1.0, 1.0), ticks=(-1.0, 0.0, 1.0))


def _axis(run: Run) -> ValueAxis:
    """0…100 %, or −100…100 % where a rig both heats and cools."""
    return _BOTH_WAYS if run.rig.heats and run.rig.cools else _OF_DRIVE


_put: WeakKeyDictionary[Run, Floats] = WeakKeyDictionary()


def put(run: Run) -> Floats:
    """The drive that is really put out, shape (m,): what was given, but for what is cut off, blocked or stuck.

    What a slow window does inside a window is left out: that is how it gives what was given.
    """
    if run not in _put:
        found = run.drive
        for at, level in _held(run):
            if at.any():
                found = np.where(at, level, found)
        _put[run] = found
    return _put[run]


def _held(run: Run) -> Iterator[tuple[npt.NDArray[np.bool_], float]]:
    """Samples at which something other than the controller says what is put out, and what that is."""
    yield run.guard_code % RULERS == Ruler.THERMAL_CUT_OFF, 0.0
    several = run.rig.way.both
    for d, drive in enumerate(run.rig.drives):
        if drive.kind in ("relay", "pwm"):
            sign = -1.0 if several and drive.acts == "cools" else 1.0
            asked = sign * run.drive
            yield (asked > 0.0) & (run.put_out[d] == 0.0), 0.0
            yield (asked < 0.5) & (run.put_out[d] == 1.0), sign


def drive_lane(scene: Scene, *, others: bool = True) -> Lane:
    """Drive of the selected candidate, hatched where it is at its limit; the others' may be read at the cursor."""
    if scene.result is None or scene.selected is None:
        return Lane("drive", tell("Drive"), _OF_DRIVE, weight=1.45)
    run = scene.result.run
    heating = [d.power_W for d in run.rig.drives if d.heated_body is not None]
    acts = joined(" and ", (
        word for word, does in ((run.rig.words.heats, run.rig.heats), (run.rig.words.cools, run.rig.cools)) if does
    ))  # fmt: skip
    title = tell("Drive ({acts}), %", acts=acts)
    if len(heating) == 1:
        title = tell("Drive ({acts}), % of {power}", acts=acts, power=show(heating[0], Quantity.POWER))
    traces = tuple(
        LaneTrace(e.candidate.name, e.result.run.time_s, put(e.result.run), e.index, filled=True,
              drawn=e is scene.selected)
        for e in scene.shown
        if e.result is not None and (others or e is scene.selected)
    )  # fmt: skip
    return Lane("drive", title, _axis(run), weight=1.45, traces=traces, spans=_flat_out(run))


def _flat_out(run: Run) -> tuple[LaneSpan, ...]:
    found = []
    for start, end in long_spans(run):
        at = float(run.drive[run.sample_at(start)])
        full = abs(at) > 0.5
        held = say("full drive") if full else say("shut off") if abs(at) < _NOTHING else say("at its least")
        text = tell(joined(" ", (held, minutes(end - start)))) if end - start >= _LEAST_SAID_S else ""
        found.append(LaneSpan(start, end, text, hatched=True, worth=bool(full)))
    return tuple(found)


def long_spans(run: Run) -> list[tuple[float, float]]:
    """Spans in s in which the drive is at one of its limits, short gaps closed: noise would cut them to pieces."""
    held = at_limit(run)
    return sorted(_spans(run, held & (run.asked > run.drive)) + _spans(run, held & (run.asked < run.drive)))


def _spans(run: Run, held: npt.NDArray[np.bool_]) -> list[tuple[float, float]]:
    at = np.flatnonzero(held)
    if not at.size:
        return []
    step = float(run.time_s[1] - run.time_s[0])
    gap = max(3, round(30 / step))
    cuts = np.flatnonzero(np.diff(at) > gap)
    firsts, lasts = at[np.append(0, cuts + 1)], at[np.append(cuts, at.size - 1)]
    return [(float(run.time_s[a]), float(run.time_s[b]) + step) for a, b in zip(firsts, lasts, strict=True)]


def output_lane(scene: Scene) -> Lane:
    """Drive asked for, given, and put out by each drive of the rig, of the selected candidate."""
    if scene.result is None:
        return Lane("output", tell("Asked, given, put out"), _OF_DRIVE, weight=1.45)
    run = scene.result.run
    axis = _axis(run)
    assert axis.fixed is not None
    asked = np.clip(run.asked, *axis.fixed)
    traces = [
        LaneTrace(tell("asked for"), run.time_s, asked, 1),
        LaneTrace("given", run.time_s, run.drive, 0, strong=True),
    ]
    traces += [
        LaneTrace(tell("put out: {drive}", drive=drive.name), run.time_s, run.put_out[k], k + 2)
        for k, drive in enumerate(run.rig.drives)
    ]
    return Lane("output", tell("Asked, given, put out, %"), axis, weight=1.45, traces=tuple(traces))


def terms_lane(scene: Scene) -> Lane:
    """The terms of the selected candidate's law, as drive."""
    axis = ValueAxis(Quantity.DRIVE, least=0.2)
    if scene.result is None or scene.result.run.controller.switches:
        return Lane("terms", tell("Terms"), None, weight=1.45, nothing=tell("an on/off law has no terms"))
    run = scene.result.run
    named = (("P", run.p), ("I", run.i), ("D", run.d))
    traces = tuple(
        LaneTrace(name, run.time_s, np.clip(value, -3.0, 3.0), k, named=True)
        for k, (name, value) in enumerate(named)
        if value.any()
    )
    return Lane("terms", tell("Terms, % of drive"), axis, weight=1.45, traces=traces)


def flow_lane(scene: Scene) -> Lane:
    """Relative flow of fans and position of valves in the selected candidate's run."""
    movers = [(k, drive.name) for k, drive in enumerate(scene.project.rig.drives) if drive.moves]
    if scene.result is None or not movers:
        return Lane("flow", tell("Flow"), None, height=30, nothing=tell("no fan or valve in this rig"))
    run = scene.result.run
    traces = tuple(LaneTrace(name, run.time_s, run.flow[k], place, named=len(movers) > 1)
                   for place, (k, name) in enumerate(movers))  # fmt: skip
    return Lane("flow", tell("Flow, %"), _OF_DRIVE, weight=1.45, traces=traces)


def switching_lanes(scene: Scene) -> list[Lane]:
    """On-times of candidates that are on or off, the selected one first."""
    switching = [entry for entry in scene.shown if entry.candidate.controller.switches]
    return [_on_times(entry) for entry in sorted(switching, key=lambda entry: entry is not scene.selected)]


def _on_times(entry: CandidateEntry) -> Lane:
    bars = None if entry.result is None else bars_of(entry.result.run, entry.index)
    return Lane(f"on-times {entry.index}", entry.candidate.name, None, _BARCODE_HEIGHT, index=entry.index, bars=bars)


def bars_of(run: Run, index: int) -> Bars:
    """When a run's drive is on."""
    return Bars(*on_times(run.time_s, put(run)), index)


def pulses_lanes(scene: Scene) -> list[Lane]:
    """The real wave of each switched drive in the selected candidate's run; a quick one at the cursor."""
    if scene.result is None:
        return [Lane("pulses", tell("Pulses"), None, height=30, nothing=tell("nothing computed yet"))]
    run = scene.result.run
    found = []
    for k, drive in enumerate(run.rig.drives):
        pulses = pulses_of(run, k)
        if pulses is not None:
            title = tell("Pulses: {drive}", drive=drive.name)
            found.append(Lane(f"pulses {k}", title, None, _BARCODE_HEIGHT, index=k, bars=Bars(*pulses, k)))
        elif pwm_Hz := getattr(drive, "pwm_Hz", None):
            duty = LaneTrace(drive.name, run.time_s, run.put_out[k], k)
            title = tell("Wave: {drive}, at the cursor", drive=drive.name)
            found.append(Lane(f"pulses {k}", title, None, _BARCODE_HEIGHT, index=k, wave=Wave(duty, 1 / pwm_Hz)))
    without = tell("no drive here has pulses; of PWM, give its frequency at Rig")
    return found or [Lane("pulses", tell("Pulses"), None, height=30, nothing=without)]


def ice_lane(scene: Scene) -> Lane:
    """Ice on what gets cold, in the selected candidate's run."""
    links = [link for link in scene.project.rig.links if link.icing is not None]
    if scene.result is None or not links:
        return Lane(
            "ice", tell("Ice"), None, height=30, nothing=tell("nothing ices in this rig; it is set at a link, at Rig")
        )
    run = scene.result.run
    traces = tuple(
        LaneTrace(link.iced_body, run.time_s, run.ice_kg[k], k, filled=len(links) == 1, named=len(links) > 1)
        for k, link in enumerate(links)
    )  # fmt: skip
    return Lane("ice", tell("Ice"), ValueAxis(Quantity.MASS, least=0.01), weight=1.45, traces=traces, also=(0.0,))
