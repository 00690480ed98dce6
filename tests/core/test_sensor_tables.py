"""Sensors that are known by a table: falling, curved, rising; broken; in a run, in a log, in the generated program."""

import random
import shutil
from pathlib import Path
from typing import Any, Literal

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kelvarn.demos import find_demo
from kelvarn.desktop.stations.rig.converter_card import table_of
from kelvarn.engine.layout import curves_of, probe_record
from kelvarn.engine.probes import count_of, degC_of_count
from kelvarn.engine.pulses import counts_of
from kelvarn.engine.run import compute
from kelvarn.handover.board_rows import random_row
from kelvarn.handover.carry import Carried
from kelvarn.handover.pythons import build_python
from kelvarn.handover.toolchain import build
from kelvarn.handover.twin import Twin
from kelvarn.model.edit import EditError, put, with_fields
from kelvarn.model.events import ProbeFault
from kelvarn.model.fixed import Fixed
from kelvarn.model.probes import Converter, Probe, SensorPoint
from kelvarn.model.rig import Rig
from tests.conftest import one_lag, trial

PLATINUM = Converter(
    sensor="ohm_curve",
    bits=12,
    fixed_ohm=2200,
    points=(
        SensorPoint(degC=-20, value=921.6),
        SensorPoint(degC=30, value=1116.7),
        SensorPoint(degC=160, value=1610.5),
    ),
)
FALLING = Converter(
    sensor="ohm_curve",
    bits=10,
    fixed_ohm=4700,
    points=(
        SensorPoint(degC=0, value=32650),
        SensorPoint(degC=25, value=10000),
        SensorPoint(degC=50, value=3603),
        SensorPoint(degC=90, value=915),
        SensorPoint(degC=140, value=235),
    ),
)
VOLTS = Converter(
    sensor="volt_curve",
    bits=16,
    full_V=3.3,
    points=(SensorPoint(degC=-10, value=2.9), SensorPoint(degC=60, value=1.7), SensorPoint(degC=150, value=0.2)),
)


def _rig(converter: Converter, **more: Any) -> Rig:
    rig = one_lag()
    low, high = converter.points[0].degC, converter.points[-1].degC
    first = Probe(name="Other", body="Block", role="watch", converter=PLATINUM, lowest_degC=-20, highest_degC=160)
    fields = {"converter": converter, "lowest_degC": low, "highest_degC": high, "noise_K": 0.0, "resolution_K": 0.0}
    return with_fields(rig, probes=(first, with_fields(rig.probe, **{**fields, **more})))


@pytest.mark.parametrize("converter", [PLATINUM, FALLING, VOLTS])
def test_counts_go_through_the_table_and_back(converter: Converter) -> None:
    rig = _rig(converter)
    probe, points = probe_record(rig, rig.probe), curves_of(rig)
    top = 2**converter.bits - 1
    for point in converter.points:
        share = point.value / 3.3 if converter is VOLTS else point.value / (point.value + converter.fixed_ohm)
        assert count_of(probe, points, point.degC) == round(share * top)
    degC = np.linspace(converter.points[0].degC, converter.points[-1].degC, 500)
    counts = np.array([count_of(probe, points, each) for each in degC.tolist()])
    back = np.array([degC_of_count(probe, points, each) for each in counts.tolist()])
    step = np.abs(np.diff([degC_of_count(probe, points, c) for c in range(int(counts.min()), int(counts.max()) + 1)]))
    assert np.abs(back - degC).max() <= step.max() * 0.51
    assert (np.diff(back) >= 0).all()
    assert converter.degC_of_counts(counts[1:-1], top) == pytest.approx(back[1:-1], abs=1e-9)
    assert np.isnan(converter.degC_of_counts(np.array([0.0, top]), top)).all()


@pytest.mark.parametrize("converter", [PLATINUM, FALLING, VOLTS])
def test_a_run_reads_by_the_table_and_an_open_or_shorted_one_is_at_an_end(converter: Converter) -> None:
    run = compute(_rig(converter), Fixed(drive=0.5), trial(900.0))
    counts = counts_of(run, 1)
    assert counts is not None
    probe, points = probe_record(run.rig, run.rig.probe), curves_of(run.rig)
    assert [degC_of_count(probe, points, c) for c in counts.tolist()] == pytest.approx(run.measured_degC, abs=1e-9)
    assert np.abs(run.measured_degC - run.bodies_degC[0]).max() < 0.6
    for fault in ("open", "short"):
        broken = trial(900.0, events=(ProbeFault(name="F", at_s=300, probe=run.rig.probe.name, fault=fault),))
        seen = compute(_rig(converter), Fixed(drive=0.5), broken)
        rises = converter is PLATINUM
        # The resistance of an open one is endless, that of a shorted one none; a voltage is none, and all there is.
        high = (fault == "open") == rises if converter is not VOLTS else fault == "open"
        end = converter.points[-1].degC if high else converter.points[0].degC
        assert seen.measured_degC[-1] == end


@settings(max_examples=25, deadline=None)
@given(st.lists(st.floats(1.0, 1e6), min_size=2, max_size=20, unique=True), st.booleans(), st.data())
def test_any_table_that_goes_one_way_gives_back_what_it_has(ohms: list[float], falls: bool, data: Any) -> None:
    values = sorted({round(each, 1) for each in ohms}, reverse=falls)
    if len(values) < 2:
        return
    points = tuple(SensorPoint(degC=5.0 * k, value=value) for k, value in enumerate(values))
    rig = _rig(Converter(sensor="ohm_curve", bits=24, fixed_ohm=3000, points=points))
    probe, curves = probe_record(rig, rig.probe), curves_of(rig)
    at = data.draw(st.floats(0, points[-1].degC))
    k = min(int(at / 5), len(points) - 2)
    shares = [value / (value + 3000) for value in values]
    share = shares[k] + (at - 5 * k) / 5 * (shares[k + 1] - shares[k])
    assert count_of(probe, curves, at) == pytest.approx(share * (2**24 - 1), abs=0.51)
    if abs(shares[k + 1] - shares[k]) > 1e-4:
        assert degC_of_count(probe, curves, share * (2**24 - 1)) == pytest.approx(at, abs=1e-6)


@pytest.mark.parametrize("converter", [FALLING, VOLTS])
@pytest.mark.parametrize("real", ["double", "float"])
def test_generated_programs_read_by_the_same_table(
    converter: Converter, real: Literal["double", "float"], tmp_path: Path
) -> None:
    low, high = converter.points[0].degC, converter.points[-1].degC
    demo = find_demo("cure-cabinet").build()
    probe = with_fields(demo.rig.probes[0], converter=converter, lowest_degC=low, highest_degC=high)
    project = put(demo, ("rig", "probes", 0), probe)
    carried, draw = Carried(project, project.candidates[2], project.first_trial, real), random.Random(3)
    rows = [random_row(carried, 2000 * k, [60.0], draw) for k in range(600)]
    twin = Twin(carried)
    told = np.array([found for row in rows if (found := twin.row(row)) is not None])
    assert len(told) > 300
    if shutil.which("gcc"):
        found = build(carried, tmp_path / "c").run(np.array(rows))
        if real == "double":
            assert (found == told).all()
        else:  # 32 bits may fall to the other side of an edge now and then
            assert (np.abs(found - told).max(axis=1) < 1e-3).mean() > 0.99
    if real == "double":
        assert (build_python("python", carried, tmp_path / "py").run(np.array(rows)) == told).all()


@pytest.mark.parametrize(("change", "says"), [
    ({"points": ()}, "two rows"),
    ({"points": (SensorPoint(degC=0, value=5), SensorPoint(degC=0, value=6))}, "go up"),
    ({"points": (SensorPoint(degC=0, value=5), SensorPoint(degC=9, value=6), SensorPoint(degC=20, value=5))}, "turns"),
    ({"points": (SensorPoint(degC=0, value=6), SensorPoint(degC=9, value=5), SensorPoint(degC=20, value=5))}, "turns"),
    ({"points": (SensorPoint(degC=0, value=0), SensorPoint(degC=9, value=6))}, "above 0"),
    ({"sensor": "volt_curve", "points": (SensorPoint(degC=0, value=1), SensorPoint(degC=9, value=6))}, "6 V"),
])  # fmt: skip
def test_a_table_that_is_none_is_refused_in_a_sentence(change: dict[str, Any], says: str) -> None:
    with pytest.raises(ValueError, match=says):
        with_fields(PLATINUM, **change)


def test_a_range_beyond_the_table_is_refused() -> None:
    with pytest.raises(ValueError, match="inside it"):
        _rig(FALLING, highest_degC=200)


def test_pasted_tables() -> None:
    rows = table_of("degC;ohm\n25;10000\n0;32650,5\n\n50;3603")
    assert [(row.degC, row.value) for row in rows] == [(0, 32650.5), (25, 10000), (50, 3603)]
    assert [row.value for row in table_of("0,5\n10, 6.5")] == [5, 6.5]
    assert [row.degC for row in table_of("−40\t1\n-10   2")] == [-40, -10]
    for text, says in (("0 1\nten 2", "Line 2"), ("0 1", "1 rows"), ("", "0 rows"), ("1 2 3\n4 5 6", "Line 2")):
        with pytest.raises(EditError, match=says):
            table_of(text)
