"""Where a fan stands and from where it starts, beside a made fan that turns as its own figures say."""

from dataclasses import replace

import pytest

from kelvarn.demos import find_demo
from kelvarn.link.bench.sweep import FanFound, Sweep, SweepPhase
from kelvarn.link.bench.taking import with_sweep
from kelvarn.model.drives import Fan
from kelvarn.model.edit import with_fields
from tests.core.test_recording import sample

STALLS, STARTS, KICK_S = 0.22, 0.36, 1.5


def swept(device: Fan, kick_s: float = KICK_S, interval_s: float = 0.5) -> Sweep:
    """A sweep, of a fan that stands below, starts from and is kicked by the made figures, listened to by ear.

    Args:
        device: what the device knows of it: floor, off-below and kick-start act on what is put out.
        kick_s: how long full duty starts it.
        interval_s: between samples.
    """
    task, turning, full_s, t, out = Sweep(device, 1, "out_fan", interval_s), True, 0.0, 0.0, 1.0
    while t < 3000.0:
        duty = task.drive(replace(sample(1), outputs={0: 0.0, 1: out}), t)
        if duty is None:
            return task
        out = 0.0 if duty < device.off_below or duty == 0.0 else max(duty, device.floor)
        full_s = full_s + interval_s if out >= 0.99 else 0.0
        turning = out >= STALLS if turning else (out >= STARTS if out < 0.99 else full_s >= kick_s)
        asks = task.phase.asks
        if (asks == "it stands now" and not turning) or (asks in ("it starts now", "it goes on turning") and turning):
            task.heard()
        t += interval_s
    raise AssertionError("it does not end")


PLAIN = Fan(power_W=2.0, floor=0.0, off_below=0.0, kick_start_s=0.0)


def test_a_sweep_finds_where_a_fan_stands_from_where_it_starts_and_the_kick_that_it_needs() -> None:
    task = swept(PLAIN)
    assert task.found.stalls_below == pytest.approx(STALLS, abs=0.02)
    assert task.found.starts_from == pytest.approx(STARTS, abs=0.02)
    assert task.found.kick_start_s == pytest.approx(KICK_S, abs=0.51)
    assert "kick-start" in task.ended
    assert swept(PLAIN, interval_s=2.0).found.kick_start_s == 2.0


def test_a_kick_that_is_not_enough_is_said_and_ends() -> None:
    task = swept(PLAIN, kick_s=60.0)
    assert task.found.kick_start_s is None
    assert "was not enough" in task.ended


def test_what_the_device_does_to_a_fan_by_itself_is_not_taken_for_the_fan() -> None:
    floored = swept(with_fields(PLAIN, floor=0.3, off_below=0.1))
    assert floored.found.stalls_below is None
    assert "it turns down to 30 %" in floored.ended
    kicked = swept(with_fields(PLAIN, kick_start_s=1.0))
    assert kicked.found.stalls_below == pytest.approx(STALLS, abs=0.02)
    assert kicked.found.starts_from is None
    assert "hidden by the kick-start" in kicked.ended
    assert kicked.phase is SweepPhase.OVER


def test_what_was_found_at_another_voltage_is_of_the_rated_one_in_the_rig() -> None:
    project = find_demo("heatsink-fan").build()
    made = with_sweep(project, 0, FanFound(0.3, 0.4, None), 18.0).rig.drives[0]
    assert isinstance(made, Fan)
    assert made.rated_V == 24.0
    assert made.supply_V == 18.0
    assert (made.stalls_below, made.starts_from) == (pytest.approx(0.225), pytest.approx(0.3))
    assert made.kick_start_s == project.rig.drives[0].kick_start_s  # type: ignore[union-attr]
