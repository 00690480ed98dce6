"""The reading of an open-loop step, in words."""

from kelvarn.engine.step import Reading, StepResponse
from kelvarn.sentence import figures, joined, lowered, say
from kelvarn.units import Quantity, Scale, show, three_figures, to_shown, usual_unit

_NO_DELAY = 0.001  # of the lag: less is not told
_LEAST_DELAY_S = 0.05
_POOR = 0.01  # of the way: a miss beyond that is told


def reading_text(cold: StepResponse, scale: Scale) -> str:
    """An open-loop step as one lag and a dead time, in words."""
    found = cold.reading
    if found is None:
        return say("The drive moves nothing that the probe sees.")
    return joined("; ", (_numbers(found, scale), poor_fit_text(cold, scale) or _meaning(found)))


def poor_fit_text(step: StepResponse, scale: Scale) -> str:
    """That one lag (or ramp) misses a step by too much to describe it; empty where it does not."""
    found = step.reading
    way = max(abs(float(step.run.measured_degC[-1] - step.run.measured_degC[0])), 1e-9)
    if found is None or found.rms_K <= _POOR * way:
        return ""
    return say("one lag does not describe it ({miss} rms)", miss=show(found.rms_K, Quantity.DIFFERENCE, scale))


def warm_text(cold: StepResponse, warm: StepResponse | None, scale: Scale) -> str:
    """The step from warm likewise, where it differs; else empty."""
    if cold.reading is None or warm is None or warm.reading is None or not _differs(cold.reading, warm.reading):
        return ""
    return say("From warm: {numbers}; settings that fit the one may not fit the other",
               numbers=lowered(_numbers(warm.reading, scale)))  # fmt: skip


def _numbers(found: Reading, scale: Scale) -> str:
    delay = say("no dead time")
    if found.dead_time_s >= _LEAST_DELAY_S:
        delay = say("dead time {time}", time=show(round(found.dead_time_s, 1), Quantity.DURATION))
    if found.gain_K is None or found.lag_s is None:
        rise = show((found.rise_K_per_s or 0.0) / 100, Quantity.RAMP, scale)
        return say("Rises {rate} per %, {delay}", rate=rise, delay=delay)
    gain = three_figures(to_shown(found.gain_K / 100, Quantity.DIFFERENCE, scale)).replace("-", "−")
    return say("Gain {gain} per %, time constant {lag}, {delay}", delay=delay,
               gain=figures(gain, usual_unit(Quantity.DIFFERENCE, scale)),
               lag=show(found.lag_s, Quantity.DURATION))  # fmt: skip


def _meaning(found: Reading) -> str:
    if found.ratio is None:
        return found.difficulty
    known = []
    if found.reach_95_s is not None:
        known.append(say("95 % after {time}", time=show(found.reach_95_s, Quantity.DURATION)))
    if found.ratio >= _NO_DELAY:
        share = figures(three_figures(float(f"{100 * found.ratio:.2g}")), "%")
        known.append(say("delay is {share} of the lag", share=share))
    return joined(": ", (joined(", ", known), found.difficulty)) if known else found.difficulty


def _differs(cold: Reading, warm: Reading) -> bool:
    """Whether the warm answer differs by more than a twentieth."""
    pairs = ((cold.gain_K, warm.gain_K), (cold.lag_s, warm.lag_s))
    return any(a is not None and b is not None and abs(b - a) > 0.05 * abs(a) for a, b in pairs)
