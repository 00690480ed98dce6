"""Readings that are errors: what a probe or its converter says where it has not measured."""

import numpy as np

from kelvarn.model.log_data import Floats
from kelvarn.sentence import say

from .rows import Faults

_SIGNS = (85.0, 0.0, -127.0, 127.94, 999.9, 850.0, 3276.7, -3276.8, 327.67, -327.68, 2047.94, 1372.0, -242.02, -0.06)
"""What well-known probes and converters give where they have not measured, such as 85 °C after power-on; each is also
met by chance, so it counts only where it stands apart from its neighbours."""
_LONGEST = 3  # rows
_APART_K = 5.0
_TIMES = 20.0  # usual step from row to row


def without_errors(measured: Floats, rows: Floats, faults: Faults) -> Floats:
    """Temperatures without those that leap away for a row or a few and back, to a value that means an error.

    A value means one where it is a known sign, or where it comes more than once, the same to the last digit.

    Args:
        measured: shape (m,), degC, NaN where there is none.
        rows: their places in the file.
        faults: where they are counted.
    """
    known = np.flatnonzero(np.isfinite(measured))
    if known.size < 8:
        return measured
    y = measured[known]
    leap = max(_APART_K, _TIMES * float(np.median(np.abs(np.diff(y)))))
    suspects: dict[float, list[int]] = {}
    k = 0
    while k < y.size:
        end = k + 1
        while end < y.size and end - k < _LONGEST and y[end] == y[k]:
            end += 1
        if _leaps(y, k, end, leap):
            suspects.setdefault(float(y[k]), []).extend(range(k, end))
        k = end
    signs = [place for value, places in suspects.items() for place in places
             if len(places) > 1 or np.min(np.abs(np.array(_SIGNS) - value)) < 0.006]  # fmt: skip
    if not signs:
        return measured
    bad = known[np.sort(np.array(signs))]
    made = measured.copy()
    made[bad] = np.nan
    faults.add(say("with a temperature that is a probe's sign of an error"), rows[bad], skipped=False)
    return made


def _leaps(y: Floats, k: int, end: int, leap: float) -> bool:
    """Whether a stretch of one value lies apart from both its neighbours, which are near each other."""
    before = y[k - 1] if k else None
    after = y[end] if end < y.size else None
    beside = [value for value in (before, after) if value is not None]
    apart = all(abs(y[k] - value) > leap for value in beside)
    return apart and (len(beside) < 2 or abs(beside[0] - beside[1]) < abs(y[k] - beside[0]) / 2)
