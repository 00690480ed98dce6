"""The probes that watch or guard beside the one that controls."""

from .codes import AGE, LAG, SITS_IN
from .curved import temperature
from .heat import PROBE, slot_of
from .jit import subroutine
from .probes import aged, reading


@subroutine
def other_readings(k, h, control, curved, n, state, x, melt, c, of_probes, plain, noise, history, rates, readings):
    """What all probes but the one that controls show at a sample; arguments as in `kernel.run_loop`."""
    for p in range(c.shape[0]):
        if p == control:
            continue
        body = int(c[p, SITS_IN])
        degC = slot_of(state, body) if not curved else temperature(x, melt, body)[0]
        sensed = degC
        if c[p, LAG] > 0.0:
            sensed = slot_of(state, n + PROBE + p) if not curved else x[n + p]
        if c[p, AGE] > 0.0:
            sensed = aged(k, h, degC, sensed, c[p], history[p], rates[p])
        readings[p, k] = reading(k * h, sensed, noise[p, k], c[p], of_probes[p], plain[p])
