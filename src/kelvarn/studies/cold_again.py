"""How long after a trial the rig is as cold as before it, so that a cold trial can begin again."""

from functools import partial

import numpy as np

from kelvarn.engine.prepare import RunError
from kelvarn.engine.run import compute
from kelvarn.engine.steady import rest_degC
from kelvarn.model.edit import with_each, with_fields
from kelvarn.model.fixed import Fixed
from kelvarn.model.probes import Probe
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Plan, SetpointChange, Trial
from kelvarn.sentence import say
from kelvarn.units import Quantity, show

NEAR_K = 1.0
"""So near to its rest every body must be."""
_SPANS_S = (3600.0, 6 * 3600.0, 86400.0, 5 * 86400.0, 30 * 86400.0)
_SAMPLES = 2000


def cold_again_s(rig: Rig, end_degC: dict[str, float]) -> float | None:
    """Time until every body is within 1 K of its rest with the drives off.

    Args:
        rig: the rig.
        end_degC: where each body stands at the end of a trial.

    Returns:
        Seconds, to a two-thousandth of the span looked at; None where it takes more than 30 days, or never rests.
    """
    rest = rest_degC(rig.unguarded, 0.0)
    if rest is None:
        return None
    free = rig.unguarded
    if free.response is not None:
        response = with_fields(free.response, start_degC=end_degC[free.response.name])
        free = with_fields(free, response=response)
    else:
        free = with_each(free, "bodies", lambda body: {"start_degC": end_degC[body.name]})
    for span_s in _SPANS_S:
        often = with_each(free, "probes", partial(_read_every, span_s / _SAMPLES))
        plan = Plan(changes=(SetpointChange(at_s=0, to_degC=rig.surroundings.temperature_degC),))
        trial = Trial(name="Cooling down", duration_s=span_s, plan=plan)
        try:
            run = compute(often, Fixed(drive=0.0), trial)
        except RunError:
            return None
        furthest = np.abs(run.bodies_degC - np.asarray(rest)[:, np.newaxis]).max(axis=0)
        if furthest[-1] <= NEAR_K:
            away = np.flatnonzero(furthest > NEAR_K)
            return float(run.time_s[away[-1] + 1]) if away.size else 0.0
    return None


def ready_text(ready_s: float | None) -> str:
    """From when on all that matters stays inside its band, in words; empty where it does not."""
    if ready_s is None:
        return ""
    return (
        say("ready from {ready} on", ready=show(ready_s, Quantity.DURATION))
        if ready_s > 0
        else say("inside the goal from the start")
    )


def _read_every(interval_s: float, _probe: Probe) -> dict[str, float]:
    return {"interval_s": interval_s}
