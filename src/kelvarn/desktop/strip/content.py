"""What a strip shows, made by a station from document, view and runner."""

from dataclasses import dataclass

from kelvarn.engine.step import StepResponse
from kelvarn.model.bodies import Body
from kelvarn.model.candidate import Candidate, OnOff
from kelvarn.model.trial import Trial
from kelvarn.studies.results import Result
from kelvarn.units import Scale

from .trace import Floats


@dataclass(frozen=True, eq=False)
class Entry:
    """A candidate with its result.

    Attributes:
        candidate, result: as computed; `result` None while there is none.
        index: place in the list; gives colour and dash.
        stale: the result is of an earlier state, since the present one cannot be computed.
    """

    candidate: Candidate
    result: Result | None
    index: int
    chosen: bool
    stale: bool

    @property
    def on_off(self) -> bool:
        """Whether it is an on/off controller."""
        return isinstance(self.candidate.controller, OnOff)


@dataclass(frozen=True, eq=False)
class Line:
    """One temperature curve; `body` is what it is the temperature of, where its limit is to be shown."""

    name: str
    time_s: Floats
    degC: Floats
    index: int
    strong: bool
    faded: bool = False
    body: Body | None = None


@dataclass(frozen=True, eq=False)
class Content:
    """Everything that decides what the lanes paint, but for zoom and cursor.

    Attributes:
        trial: the trial shown.
        entries: candidates that are not hidden.
        selected: the entry that labels, error fill and drive lane are about; None while nothing is computed.
        lines: temperature curves, the strongest last.
        bodies: the curves are bodies of one run rather than candidates.
        by_hand: no setpoint plays a part.
    """

    trial: Trial
    scale: Scale
    entries: tuple[Entry, ...]
    selected: Entry | None
    lines: tuple[Line, ...]
    bodies: bool = False
    by_hand: bool = False

    @property
    def start_degC(self) -> float:
        """Where a ramp from the start begins: what the control probe first shows."""
        run = next((entry.result.run for entry in self.entries if entry.result is not None), None)
        return float(run.measured_degC[0]) if run is not None else self.trial.plan.changes[0].to_degC

    @property
    def result(self) -> Result | None:
        """Result of the selected entry."""
        return self.selected.result if self.selected is not None else None


def candidate_content(trial: Trial, scale: Scale, entries: list[Entry], selected: str) -> Content:
    """Content with one curve for each candidate; the selected one is strong and on top."""
    shown = tuple(e for e in entries if not e.candidate.hidden or e.candidate.name == selected)
    focus = next((e for e in shown if e.candidate.name == selected), None)
    lines = [
        Line(
            f"{e.candidate.name} ★" if e.chosen else e.candidate.name,
            e.result.run.time_s,
            e.result.run.controlled_degC,
            e.index,
            strong=e is focus,
            faded=e.stale,
            body=e.result.run.rig.all_bodies[e.result.run.rig.body_index(e.result.run.rig.probe.body)],
        )
        for e in sorted(shown, key=lambda e: e is focus)
        if e.result is not None
    ]
    return Content(trial, scale, shown, focus, tuple(lines))


def body_content(trial: Trial, scale: Scale, entry: Entry | None, selected_body: str) -> Content:
    """Content with one curve for each body of one candidate's run."""
    lines: list[Line] = []
    if entry is not None and entry.result is not None:
        run = entry.result.run
        bodies = [
            Line(body.name, run.time_s, run.bodies_degC[i], i, body.name == selected_body, entry.stale, body)
            for i, body in enumerate(run.rig.all_bodies)
        ]
        lines = sorted(bodies, key=lambda line: line.strong)
    return Content(trial, scale, (entry,) if entry is not None else (), entry, tuple(lines), bodies=True)


def step_content(cold: StepResponse, warm: StepResponse | None, scale: Scale, selected_body: str) -> Content:
    """Content with one curve for each body of an open-loop step from cold, and the probed body's from warm."""
    run = cold.run
    # Not validated: a drive set by hand is no candidate, but is shown like one.
    stands_for = Candidate.model_construct(name="Drive", controller=run.controller, hidden=False)  # type: ignore[arg-type]
    entry = Entry(stands_for, Result(run, cold.measures, ()), 0, chosen=False, stale=False)
    lines = [
        Line(body.name, run.time_s, run.bodies_degC[i], i, strong=body.name == selected_body, body=body)
        for i, body in enumerate(run.rig.all_bodies)
    ]
    if warm is not None:
        at = run.rig.body_index(run.rig.probe.body)
        name = f"{run.rig.probe.body} from warm"
        # Both laid over each other: what the longer one has beyond the other's end is left out.
        kept = warm.run.time_s <= run.time_s[-1]
        lines.insert(0, Line(name, warm.run.time_s[kept], warm.run.bodies_degC[at][kept], at, strong=False, faded=True))
    lines.sort(key=lambda line: line.strong)
    return Content(run.trial, scale, (entry,), entry, tuple(lines), bodies=True, by_hand=True)
