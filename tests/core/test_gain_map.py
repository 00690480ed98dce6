"""The gain map: each point is a run of its own, levels cover all of it once, and what cannot be mapped is refused."""

import itertools

import numpy as np
import pytest

from kelvarn.engine.marks import judge, value_of
from kelvarn.engine.measures import measure
from kelvarn.engine.run import Stopped, compute
from kelvarn.model.curve import Curve
from kelvarn.model.edit import put, value_at, with_fields
from kelvarn.model.mark import Mark
from kelvarn.model.on_off import OnOff
from kelvarn.model.pid import Pid
from kelvarn.studies.gain_map import SIZE, GainMap, MapError, axis_of, begun, refine, settings_of, usual_axes
from tests.conftest import one_lag, trial

RIG = one_lag(dead_time_s=5.0)
TRIAL = with_fields(
    trial(600.0), marks=(Mark(measure="overshoot_K", limit=3.0), Mark(measure="settling_s", limit=250.0))
)
LAW = Pid(terms="PI", kp_per_K=0.08, ti_s=120.0, td_s=0.0)


@pytest.fixture(scope="module")
def levels() -> list[GainMap]:
    """A map, level by level."""
    found = [begun(RIG, TRIAL, axis_of(LAW, ("kp_per_K",)), axis_of(LAW, ("ti_s",)))]
    while not found[-1].complete:
        found.append(refine(found[-1], RIG, LAW, TRIAL))
    return found


def test_every_point_is_a_run_of_its_own(levels: list[GainMap]) -> None:
    known = levels[-1]
    met = 0
    for row, column in np.random.default_rng(3).integers(0, SIZE, (40, 2)):
        law = with_fields(LAW, kp_per_K=known.x.values[column], ti_s=known.y.values[row])
        measures = measure(compute(RIG, law, TRIAL))
        for k, ref in enumerate(known.refs):
            value, _ = value_of(ref, measures)
            assert known.values[k, row, column] == pytest.approx(np.nan if value is None else value, nan_ok=True), ref
        verdict = all(v.met for v in judge(TRIAL, measures))
        assert known.met[row, column] == verdict
        met += verdict
    assert 0 < met < 40


def test_levels_cover_the_map_once_and_the_coarse_one_shows_its_nearest_point(levels: list[GainMap]) -> None:
    counts = [int(known.computed.sum()) for known in levels]
    assert counts[0] == 0
    assert counts[1] == 36
    assert counts == sorted(set(counts))
    assert counts[-1] == SIZE * SIZE
    coarse = levels[1].filled(0)
    assert (coarse[8:16, 16:24] == levels[-1].values[0, 8, 16]).all()
    finer, whole = levels[2].filled(0), levels[-1].values[0]
    assert (finer[4:8, 20:24] == whole[4, 20]).all()
    assert (levels[3].filled(0)[4:6, 22:24] == whole[4, 22]).all()
    for before, after in itertools.pairwise(levels):  # what was known stays
        same = np.array_equal(before.values[0][before.computed], after.values[0][before.computed], equal_nan=True)
        assert same
        assert not (before.computed & ~after.computed).any()
    edge, last = levels[-2], levels[-1]
    fresh = last.computed & ~edge.computed
    assert fresh.any()
    inside = np.zeros_like(last.met)  # nothing of what is left for last lies at the edge of the region
    inside[1:-1, 1:-1] = last.met[1:-1, 1:-1] != last.met[:-2, 1:-1]
    assert (edge.computed & inside).sum() >= 0.8 * inside.sum()


def test_an_axis_knows_its_places() -> None:
    for law, path in ((LAW, ("kp_per_K",)), (OnOff(below_K=2.0), ("below_K",)), (LAW, ("setpoint_weight",))):
        axis = axis_of(law, path)
        assert list(axis.values) == sorted(axis.values)
        assert axis.values[0] <= getattr(law, path[0]) <= axis.values[-1]
        for k in (0, 7, SIZE - 1):
            assert axis.place(axis.values[k]) == pytest.approx(k, abs=1e-9)
            assert axis.value(k) == pytest.approx(axis.values[k])
        assert axis.value(-5) == pytest.approx(axis.values[0])


def test_settings_that_contradict_each_other_are_no_run() -> None:
    law = Curve(shape="ramp", start_degC=40.0, full_degC=50.0)
    rig = with_fields(RIG, drives=(with_fields(RIG.drive, acts="cools"),))
    known = begun(rig, TRIAL, axis_of(law, ("start_degC",)), axis_of(law, ("full_degC",)))
    known = refine(known, rig, law, TRIAL)
    x, y = np.meshgrid(known.x.values, known.y.values)
    assert np.isnan(known.values[0][known.computed & (x >= y)]).all()
    assert (known.computed & (x >= y)).any()
    ran = known.refs.index(next(ref for ref in known.refs if ref.measure == "mean_drive"))
    assert np.isfinite(known.values[ran][known.computed & (x < y - 1)]).all()


def test_what_cannot_be_mapped_is_said() -> None:
    x = axis_of(LAW, ("kp_per_K",))
    with pytest.raises(MapError, match="two different settings"):
        begun(RIG, TRIAL, x, x)
    for path, said in (
        (("td_s",), "no setting of PI"),
        (("banana",), "no setting of PI"),
        (("anti_windup",), "no number"),
        (("rate_per_s",), "not set"),
        (("steps", 0, "drive"), "no setting"),
        ((), "no setting"),
    ):
        with pytest.raises(MapError, match=said):
            axis_of(LAW, path)
    with pytest.raises(Stopped):
        refine(begun(RIG, TRIAL, x, axis_of(LAW, ("ti_s",))), RIG, LAW, TRIAL, lambda _: False)


def test_every_strategy_offers_settings_that_can_be_mapped() -> None:
    curve = Curve()
    for law in (OnOff(), Pid(terms="P"), LAW, Pid(), curve, with_fields(curve, shape="ramp")):
        settings = settings_of(law)
        for path in settings:
            axis = axis_of(law, path)
            ends = [axis.values[0], axis.values[-1]]
            if path[0] == "steps":  # beyond its neighbours there is no curve: such points are grey
                ends = [axis.value(axis.place(float(value_at(law, path))))]
            for end in ends:
                put(law, path, end)
        usual = usual_axes(law)
        assert usual is None or (usual[0] != usual[1] and set(usual) <= set(settings))
    assert usual_axes(curve) is not None
