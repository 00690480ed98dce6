"""The reading of an open-loop step, in words."""

from kelvarn.engine.step import Reading, StepResponse
from kelvarn.units import Quantity, Scale, show, three_figures, to_shown, usual_unit

_NO_DELAY = 0.001  # of the lag: less is not told
_LEAST_DELAY_S = 0.05
_POOR = 0.01  # of the way: a miss beyond that is told


def reading_text(cold: StepResponse, scale: Scale) -> str:
    """An open-loop step as one lag and a dead time, in words."""
    found = cold.reading
    if found is None:
        return "The drive moves nothing that the probe sees."
    return f"{_numbers(found, scale)}; {poor_fit_text(cold, scale) or _meaning(found)}"


def poor_fit_text(step: StepResponse, scale: Scale) -> str:
    """That one lag (or ramp) misses a step by too much to describe it; empty where it does not."""
    found = step.reading
    way = max(abs(float(step.run.measured_degC[-1] - step.run.measured_degC[0])), 1e-9)
    if found is None or found.rms_K <= _POOR * way:
        return ""
    return f"one lag does not describe it ({show(found.rms_K, Quantity.DIFFERENCE, scale)} rms)"


def warm_text(cold: StepResponse, warm: StepResponse | None, scale: Scale) -> str:
    """The step from warm likewise, where it differs; else empty."""
    if cold.reading is None or warm is None or warm.reading is None or not _differs(cold.reading, warm.reading):
        return ""
    numbers = _numbers(warm.reading, scale)
    return f"From warm: {numbers[:1].lower()}{numbers[1:]}; settings that fit the one may not fit the other"


def _numbers(found: Reading, scale: Scale) -> str:
    delay = "no dead time"
    if found.dead_time_s >= _LEAST_DELAY_S:
        delay = f"dead time {show(round(found.dead_time_s, 1), Quantity.DURATION)}"
    if found.gain_K is None or found.lag_s is None:
        rise = show((found.rise_K_per_s or 0.0) / 100, Quantity.RAMP, scale)
        return f"Rises {rise} per %, {delay}"
    gain = three_figures(to_shown(found.gain_K / 100, Quantity.DIFFERENCE, scale))
    gain = gain.replace("-", "−")
    unit = usual_unit(Quantity.DIFFERENCE, scale)
    return f"Gain {gain} {unit} per %, time constant {show(found.lag_s, Quantity.DURATION)}, {delay}"


def _meaning(found: Reading) -> str:
    if found.ratio is None:
        return found.difficulty
    reach = f"95 % after {show(found.reach_95_s, Quantity.DURATION)}" if found.reach_95_s is not None else ""
    if found.ratio < _NO_DELAY:
        return f"{reach}: {found.difficulty}" if reach else found.difficulty
    reach += ", " if reach else ""
    return f"{reach}delay is {three_figures(float(f'{100 * found.ratio:.2g}'))} % of the lag: {found.difficulty}"


def _differs(cold: Reading, warm: Reading) -> bool:
    """Whether the warm answer differs by more than a twentieth."""
    pairs = ((cold.gain_K, warm.gain_K), (cold.lag_s, warm.lag_s))
    return any(a is not None and b is not None and abs(b - a) > 0.05 * abs(a) for a, b in pairs)
