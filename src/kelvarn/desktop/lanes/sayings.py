"""What a person would say of a run, where it happens."""

import math

from kelvarn.desktop.language import tell
from kelvarn.desktop.strip.lane import Label
from kelvarn.engine.measures import Span
from kelvarn.studies.results import Result
from kelvarn.units import Quantity, Scale, minutes, show

from .scene import Scene

_OF_THE_BAND = 0.02  # an overshoot that is less is none


def sayings(scene: Scene) -> tuple[Label, ...]:
    """Overshoot and settling, or swing, of the main setpoint window of the selected candidate's run."""
    if scene.result is None:
        return ()
    result, scale, band = scene.result, scene.scale, scene.trial.band_K
    span = result.measures.main
    if result.measures.ended is not None:
        name, at_s = result.measures.ended
        degC = float(result.run.judged_degC[result.run.sample_at(at_s)])
        return (
            Label(tell("“{name}” switched off at {at}", name=name, at=minutes(at_s)), at_s, degC, "ember", "since"),
        )
    over, settled, swing = (span.values.get(key) for key in ("overshoot_K", "settling_s", "swing_K"))
    of_settling = span.stages.get("settling_s", span)
    r, lasts_s = span.setpoint_degC, span.to_s - span.from_s
    found: list[Label] = []
    if settled is not None:
        if over and over > _OF_THE_BAND * band and span.peak_s is not None:
            text = tell("{over} over at {peak}", over=show(over, Quantity.DIFFERENCE, scale, sign=True),
                        peak=minutes(span.peak_s))  # fmt: skip
            sampled = float(result.run.judged_degC[result.run.sample_at(span.peak_s)])
            peak_degC = r + math.copysign(over, sampled - r)
            found.append(Label(text, span.peak_s, peak_degC, "ember" if over > band else "muted", "peak"))
        at_s = of_settling.from_s + settled
        found.append(
            Label(tell("settled {settled}", settled=minutes(settled)), at_s, of_settling.setpoint_degC, "moss", "since")
        )
    elif swing is not None and swing > 2 * band and (period := span.values.get("swing_period_s")) is not None:
        text = tell("swings {swing} every {period}, never settles", swing=show(swing, Quantity.DIFFERENCE, scale),
                    period=minutes(period))  # fmt: skip
        found.append(Label(text, span.from_s + 0.55 * lasts_s, r + (over or 0.0), "ember", "all"))
    else:
        found.append(_not_settled(result, of_settling, scale))
    ready = result.measures.values.get("ready_s")
    if scene.safety and ready is not None and ready > 0 and ready != settled:
        found.append(Label(tell("ready {ready}", ready=minutes(ready)), ready, r, "moss", "since"))
    return tuple(found)


def _not_settled(result: Result, stage: Span, scale: Scale) -> Label:
    """That a stage is not settled at its end, and how far off it is there."""
    end_s = stage.from_s + 0.98 * (stage.to_s - stage.from_s)
    degC = float(result.run.judged_degC[result.run.sample_at(end_s)])
    off = show(abs(degC - stage.setpoint_degC), Quantity.DIFFERENCE, scale)
    return Label(
        tell("still {off} off at the end", off=off),
        stage.from_s + 0.8 * (stage.to_s - stage.from_s),
        degC,
        "ember",
        "all",
    )
