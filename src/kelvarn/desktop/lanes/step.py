"""The open-loop step as lanes: bodies from cold, the probed one from warm beside it, and the drive."""

from kelvarn.desktop.language import tell
from kelvarn.desktop.strip.lane import Lane, LaneTrace, Level, Shown, ValueAxis
from kelvarn.engine.step import StepResponse
from kelvarn.sentence import say
from kelvarn.units import Quantity, Scale

from .scene import quantity_name
from .temperature import body_traces, goal_levels, limit_levels


def step_lanes(cold: StepResponse, warm: StepResponse | None, scale: Scale, selected: str) -> Shown:
    """Lanes of an open-loop step.

    Args:
        cold, warm: the step from cold, and from warm if there is one; each has instants of its own.
        scale: in which it is shown.
        selected: the body whose curve is strong.
    """
    run = cold.run
    rig, axis = run.rig, ValueAxis(Quantity.TEMPERATURE, scale)
    traces = body_traces(run, selected)
    if warm is not None:
        place = rig.body_index(rig.probe.body)
        # Laid over each other: what the longer one has beyond the other's end is left out.
        kept = warm.run.time_s <= run.time_s[-1]
        values = warm.run.bodies_degC[place][kept]
        name = tell("{body} from warm", body=rig.probe.body)
        traces.insert(0, LaneTrace(name, warm.run.time_s[kept], values, place, faded=True, named=True))
    levels: tuple[Level, ...] = ()
    if selected in rig.body_names:
        place = rig.body_index(selected)
        levels = limit_levels(rig.all_bodies[place], float(run.bodies_degC[place].max()), scale)
    temperature = Lane(
        "bodies",
        quantity_name(rig, scale, say("Open-loop step")),
        axis,
        weight=5.0,
        traces=tuple(traces),
        levels=(*levels, *goal_levels(rig, scale)),
    )
    given = LaneTrace(tell("drive"), run.time_s, run.drive, 0, filled=True)
    drive = Lane("drive", tell("Drive, %"), _drive_axis(run.drive.min()), weight=1.45, traces=(given,))
    return Shown((temperature, drive), run.trial.duration_s, run.time_s)


def _drive_axis(lowest: float) -> ValueAxis:
    low = -1.0 if lowest < 0 else 0.0
    return ValueAxis(Quantity.DRIVE, fixed=(low, 1.0), ticks=(low, 1.0))
