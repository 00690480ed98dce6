"""The curve of a law against the law itself, stepped slowly there and back."""

import itertools

import numpy as np
import pytest

from kelvarn.engine.laws import static_curve
from kelvarn.engine.laws.static import Line
from kelvarn.engine.on_trial import Stepper
from kelvarn.model.candidate import Controller
from kelvarn.model.curve import Curve, CurveStep
from kelvarn.model.fixed import Fixed
from kelvarn.model.law import Way
from kelvarn.model.on_off import OnOff
from kelvarn.model.pid import Pid
from tests.conftest import trial

HEATS, COOLS, BOTH = Way(1), Way(-1), Way(1, both=True)
STEPS = tuple(CurveStep(from_degC=at, drive=drive, back_off_K=back)
              for at, drive, back in ((48, 0.3, 2.5), (55, 0.5, 1), (62, 1.0, 0)))  # fmt: skip


def on_line(line: Line, degC: float) -> set[float]:
    """Drives that a line has at a temperature: two where it stands upright there."""
    found: set[float] = set()
    for (a, first), (b, last) in itertools.pairwise(line):
        if min(a, b) - 1e-9 <= degC <= max(a, b) + 1e-9 and a != b:
            found.add(round(first + (last - first) * (degC - a) / (b - a), 9))
    return found


@pytest.mark.parametrize(
    ("law", "way"),
    [
        (Curve(steps=STEPS), COOLS),
        (Curve(shape="ramp", start_degC=45, full_degC=65, floor=0.25, back_off_K=3), COOLS),
        (Curve(shape="ramp", start_degC=65, full_degC=45, floor=0.25, back_off_K=3), HEATS),
        (OnOff(below_K=2, above_K=1), HEATS),
        (OnOff(notation="cuts", cut_in_degC=58, cut_out_degC=51), COOLS),
        (OnOff(below_K=1, above_K=1, dead_band_K=5), BOTH),
        (Pid(terms="P", kp_per_K=0.1, bias=0.2), HEATS),
        (Pid(terms="P", kp_per_K=0.1, low=0.1, high=0.9, feed_per_K=0.01), COOLS),
        (Pid(terms="P", kp_per_K=0.1, low=-1, dead_band=0.3, cooling_ratio=2), BOTH),
        (Fixed(drive=0.4), HEATS),
    ],
)
def test_the_curve_is_what_the_law_does_when_the_temperature_moves_slowly(law: Controller, way: Way) -> None:
    found = static_curve(law, 55.0, way, 30.0, 80.0)
    assert found is not None
    sweep = np.concatenate([np.arange(30, 80, 0.0625), np.arange(80, 30, -0.0625)])
    stepper = Stepper(law, trial(10, 55.0).plan, 1.0, way)
    lines = (found.rising, found.falling or found.rising)
    seen: list[set[float]] = [set(), set()]
    for k, degC in enumerate(sweep):
        drive = round(stepper.step(float(degC)).given, 9)
        # While the temperature goes to where more is asked for the rising line holds, else the falling one.
        rising = (k >= sweep.size // 2) == (way.sign > 0)
        near = set().union(*(on_line(lines[not rising], degC + d) for d in (-0.0625, 0.0, 0.0625)))
        on_either = near | set().union(*(on_line(line, degC) for line in lines))
        assert any(abs(drive - each) < 0.007 for each in (on_either if way.both else near)), (degC, drive, near)
        seen[rising].add(drive)
    for corner in found.corners:
        assert on_line(found.rising, corner.degC) | on_line(found.falling, corner.degC)


def test_a_corner_of_p_sets_its_gain() -> None:
    law = Pid(terms="P", kp_per_K=0.1, bias=0.2, feed_per_K=0.01)
    for way in (HEATS, COOLS):
        found = static_curve(law, 55.0, way, 0.0, 100.0)
        assert found is not None
        (corner,) = found.corners
        assert law.edge_value(("kp_per_K",), corner.degC, 55.0, way) == pytest.approx(0.1)
    assert static_curve(Pid(terms="PI"), 55.0, HEATS, 0.0, 100.0) is None
