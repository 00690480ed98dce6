"""One suite over every strategy on every drive: what must hold whatever the settings are."""

import itertools

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kelvarn.engine.laws import by_hand, curve, on_off, pid
from kelvarn.engine.marks import judge
from kelvarn.engine.measures import measure
from kelvarn.engine.plan import ramp_end_s, setpoint_at
from kelvarn.engine.run import Run, compute
from kelvarn.files.tables import result_json
from kelvarn.model.candidate import Candidate
from kelvarn.model.drives import Pwm, Relay, SlowWindow
from kelvarn.model.edit import with_fields
from kelvarn.model.fixed import Fixed
from kelvarn.model.on_off import OnOff
from kelvarn.model.pid import Pid
from kelvarn.model.project import Project
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Plan, SetpointChange
from kelvarn.studies.results import Results
from kelvarn.units import Scale
from kelvarn.words.why import why
from tests.conftest import one_lag, trial

STRATEGIES = {
    "on/off": OnOff(),
    "on/off with delays": OnOff(below_K=0.3, above_K=0.6, shortest_on_s=11, shortest_off_s=23, confirm_s=3),
    "on/off now and then": OnOff(decide_every_s=7),
    "once": OnOff(once=True),
    "P": Pid(terms="P", kp_per_K=0.2, bias=0.1),
    "PI": Pid(terms="PI", kp_per_K=0.2, ti_s=80),
    "PI, memory held": Pid(terms="PI", kp_per_K=0.5, ti_s=40, anti_windup="hold"),
    "PI, integral not limited": Pid(terms="PI", kp_per_K=0.5, ti_s=40, anti_windup="none"),
    "PID": Pid(kp_per_K=0.3, ti_s=60, td_s=9, setpoint_weight=0.5),
    "on/off, symmetric": OnOff(notation="band", band_K=0.4),
    "on/off, a share": OnOff(notation="share", band_share=0.02),
    "PI with options": Pid(
        terms="PI", kp_per_K=0.2, ti_s=80, zone_K=6, memory_high=0.5, setpoint_rate_K_per_s=0.1, feed_per_K=0.008
    ),
    "fixed": Fixed(drive=0.4),
    "PID, limited": Pid(kp_per_K=0.3, ti_s=60, td_s=9, low=0.15, high=0.7, rate_per_s=0.02, derivative_weight=0.5),
}
DRIVES = {
    "relay": Relay(body="Block", power_W=200),
    "slow relay": Relay(body="Block", power_W=200, shortest_on_s=17, shortest_off_s=29, dead_time_s=3.3),
    "window": SlowWindow(body="Block", power_W=200, window_s=2, dead_time_s=4),
    "long window": SlowWindow(body="Block", power_W=200, window_s=13.7, shortest_pulse_s=0.4, resolution_s=0.1),
    "short window": SlowWindow(body="Block", power_W=200, window_s=0.3, resolution_s=0.01),
    "PWM": Pwm(body="Block", power_W=200, steps=255),
    "PWM with floor": Pwm(body="Block", power_W=200, steps=10, floor=0.2, top=0.9, dead_time_s=0.7),
}


def rig_with(drive: Relay | SlowWindow | Pwm, acts: str = "heats") -> Rig:
    base = one_lag(gain_K=100, lag_s=200)
    probe = with_fields(base.probe, noise_K=0.05, lag_s=4.0)
    return with_fields(base, drives=(with_fields(drive, acts=acts),), probes=(probe,))


@pytest.fixture(params=STRATEGIES, ids=str)
def strategy(request: pytest.FixtureRequest) -> OnOff | Pid:
    return STRATEGIES[request.param]


@pytest.fixture(params=[(d, a) for d in DRIVES for a in ("heats", "cools")], ids=lambda p: f"{p[0]}-{p[1]}")
def run(request: pytest.FixtureRequest, strategy: OnOff | Pid) -> Run:
    drive, acts = request.param
    return compute(rig_with(DRIVES[drive], acts), strategy, trial(1500, 60.0 if acts == "heats" else -20.0))


def test_what_holds_for_every_strategy_on_every_drive(run: Run) -> None:
    controller, drive = run.controller, run.rig.drive
    low, high = (0.0, 1.0) if not isinstance(controller, Pid) else (controller.low, controller.high)
    rated = isinstance(controller, Pid) and controller.rate_per_s is not None
    assert run.drive.max() <= high + 1e-12
    assert run.drive.min() >= (0.0 if rated else low) - 1e-12
    power = run.power_W * run.direction
    assert power.min() >= -1e-9
    assert power.max() <= drive.power_W * (1 + 1e-9)
    assert run.energy_J == pytest.approx(power[:-1].sum() * run.rig.probe.interval_s, rel=1e-9, abs=1e-6)
    stored = 400.0 * (run.bodies_degC[0, -1] - 20)
    assert stored + run.lost_J == pytest.approx(run.energy_J * run.direction, rel=1e-9, abs=1e-6)
    assert np.isfinite(run.bodies_degC).all()
    known = {int(code) for law in (on_off, curve, pid, by_hand) for code in law.Code}
    assert set(run.law_code.tolist()) <= known
    for k in range(0, run.time_s.size, 97):
        assert why(run, k, Scale.FAHRENHEIT)
    if isinstance(drive, Relay):
        for shortest, found in (
            (drive.shortest_on_s, run.switching[0].shortest_on_s),
            (drive.shortest_off_s, run.switching[0].shortest_off_s),
        ):
            assert found is None or found >= shortest - 1e-6
    if isinstance(controller, OnOff) and not isinstance(drive, Relay):
        for shortest, level in ((controller.shortest_on_s, 1.0), (controller.shortest_off_s, 0.0)):
            edges = np.flatnonzero(np.diff(run.drive))
            for a, b in itertools.pairwise(edges):
                assert run.drive[b] != level or (b - a) * run.rig.probe.interval_s >= shortest - 1e-9


def test_limit_codes_mean_that_asked_and_given_differ(run: Run) -> None:
    limited = (run.law_code >= pid.FIRST_AT_LIMIT) & (run.law_code <= pid.LAST_AT_LIMIT)
    assert (run.asked[limited] != run.drive[limited]).all()
    free = run.law_code == pid.Code.FREE
    np.testing.assert_allclose(run.asked[free], run.drive[free])


def test_measures_of_every_pair_exist_or_say_why(run: Run) -> None:
    found = measure(run)
    for part in (*found.windows, found):
        assert all(bool(part.reasons.get(key)) == (value is None) for key, value in part.values.items())
    # The true course goes further than its samples, but not further than full power moves it in one.
    assert 0 <= found.hottest_degC["Block"] - run.bodies_degC.max() <= 200 / 400
    assert 0 <= run.bodies_degC.min() - found.coldest_degC["Block"] <= 200 / 400


@settings(max_examples=40, deadline=None)
@given(st.lists(st.tuples(st.floats(1, 500), st.floats(-50, 200), st.none() | st.floats(0.01, 5)), max_size=6))
def test_a_plan_never_leaves_the_span_of_its_setpoints(steps: list[tuple[float, float, float | None]]) -> None:
    changes = [SetpointChange(at_s=0, to_degC=20)]
    for gap, to, ramp in steps:
        changes.append(SetpointChange(at_s=changes[-1].at_s + gap, to_degC=to, ramp_K_per_s=ramp))
    plan = Plan(changes=tuple(changes))
    t = np.linspace(0, changes[-1].at_s + 600, 4001)
    r = setpoint_at(plan, t, 20.0)
    targets = [c.to_degC for c in changes]
    assert min(targets) - 1e-6 <= r.min()
    assert r.max() <= max(targets) + 1e-6
    steepest = max((c.ramp_K_per_s or 0 for c in changes), default=0)
    if all(c.ramp_K_per_s for c in changes[1:]):
        assert np.abs(np.diff(r)).max() <= steepest * (t[1] - t[0]) * (1 + 1e-6) + 1e-6
    for index, change in enumerate(changes[:-1]):
        if ramp_end_s(plan, index, 20.0) < changes[index + 1].at_s:
            assert setpoint_at(plan, np.array([changes[index + 1].at_s - 1e-9]), 20.0)[0] == pytest.approx(
                change.to_degC, abs=1e-6
            )


def test_tables_hold_no_nan_and_the_marks_of_the_trial(cabinet: Project) -> None:
    import json

    results = Results()
    for candidate in (*cabinet.candidates, Candidate(name="P", controller=STRATEGIES["P"])):
        result = results.of(cabinet.rig, candidate, cabinet.trials[0])
        text = json.dumps(result_json(candidate.name, "T", result.measures, result.verdicts), allow_nan=False)
        marks = json.loads(text)["marks"]
        assert [m["met"] for m in marks] == [v.met for v in judge(cabinet.trials[0], result.measures)]
        assert all(("reason" in m) == (m["value"] is None) for m in marks)
