"""What drives make of a demand: switching times, kick-starts, play, and the supply behind the dead time."""

import numpy as np
import pytest

from kelvarn.engine.run import Run, compute
from kelvarn.model.drives import AnyDrive, Fan, Pwm, Relay, SlowWindow, Valve
from kelvarn.model.edit import with_fields
from kelvarn.model.events import Event, SupplyChange
from kelvarn.model.fixed import Hand
from kelvarn.model.on_off import OnOff
from kelvarn.model.pid import Pid
from kelvarn.model.trial import Plan, SetpointChange
from tests.conftest import one_lag, trial
from tests.core.test_nonlinear import fan_rig


def driven(drive: AnyDrive, demand: float, duration_s: float = 100, *events: Event) -> Run:
    """The block under a constant demand."""
    return compute(with_fields(one_lag(), drives=(drive,)), Hand(drive=demand), trial(duration_s, events=events))


def stepped(drive: AnyDrive, demands: list[float], each_s: float = 20.0) -> Run:
    """The block under demands that follow one another: P with a gain so high that the setpoint says them."""
    rig = with_fields(one_lag(lag_s=1e7), drives=(drive,))
    changes = tuple(SetpointChange(at_s=k * each_s, to_degC=20 + demand) for k, demand in enumerate(demands))
    test = with_fields(trial(each_s * len(demands)), plan=Plan(changes=changes))
    return compute(rig, Pid(terms="P", kp_per_K=1.0), test)


def sag(name: str, at_s: float, lasts_s: float, to: float) -> SupplyChange:
    return SupplyChange(name=name, at_s=at_s, lasts_s=lasts_s, to=to)


def test_supplies_under_way_together_multiply() -> None:
    heater = Pwm(body="Block", power_W=200)
    run = driven(heater, 1.0, 100, sag("A", 10, 40, 0.5), sag("B", 30, 40, 0.8))
    for second, share in ((5, 1.0), (20, 0.5), (40, 0.4), (60, 0.8), (80, 1.0)):
        assert run.power_W[second] == pytest.approx(200 * share**2)
    cuts = driven(heater, 1.0, 100, sag("A", 10, 40, 0.0), sag("B", 20, 50, 0.0))
    assert np.abs(cuts.power_W[10:70]).max() == 0
    assert cuts.power_W[71] == pytest.approx(200)


def test_a_change_of_the_supply_is_felt_after_the_dead_time() -> None:
    heater = Pwm(body="Block", power_W=200, dead_time_s=7)
    run = driven(heater, 1.0, 60, sag("Sag", 20, 10, 0.5))
    assert [run.power_W[k] for k in (6, 7, 26, 27, 36, 37)] == pytest.approx([0, 200, 200, 50, 50, 200])
    # The delay of a relay's contacts is before its heater: the supply does not wait for it.
    relay = driven(Relay(body="Block", power_W=200, operate_s=3, dead_time_s=4), 1.0, 60, sag("Sag", 20, 10, 0.5))
    assert [relay.power_W[k] for k in (6, 7, 23, 24, 33, 34)] == pytest.approx([0, 200, 200, 50, 50, 200])


def test_a_valve_with_play_shuts_and_opens_fully_at_its_end_stops() -> None:
    valve = Valve(body="Block", power_W=200, travel_s=10, backlash=0.2, lowest=0.1, highest=0.9)
    run = stepped(valve, [1.0, 0.0, 0.5, 0.0, 1.0])
    assert [run.flow[0, k] for k in (19, 39, 79, 99)] == pytest.approx([0.9, 0.1, 0.1, 0.9], abs=1e-12)
    assert run.flow[0, 59] == pytest.approx(0.4, abs=1e-3)  # in between it stays half the play behind


@pytest.mark.parametrize(("floor", "kicks"), [(0.1, True), (0.35, False)])
def test_a_fan_that_stalled_starts_again_with_its_kick(floor: float, kicks: bool) -> None:
    fan = Fan(floor=floor, off_below=0.0, stalls_below=0.3, kick_start_s=4, steps=1000)
    run = stepped(with_fields(fan, acts="heats"), [0.5, 0.05, 0.5])
    again = run.put_out[0, 40:46]
    assert again == pytest.approx([1, 1, 1, 1, 0.5, 0.5] if kicks else [0.5] * 6)
    assert run.put_out[0, 30] == pytest.approx(floor)


def test_a_kick_start_ends_inside_a_sample() -> None:
    run = compute(fan_rig(floor=0.3, stalls_below=0.3, kick_start_s=2.5), Hand(drive=0.4), trial(50))
    assert run.put_out[0, :4] == pytest.approx([1, 1, 0.5 * (1 + 0.4), 0.4])
    lag = 1 - np.exp(-2.5 / 5)
    assert run.flow[0, 3] == pytest.approx(0.4 + (lag - 0.4) * np.exp(-0.5 / 5), abs=1e-6)


def test_what_is_put_out_is_after_floor_window_and_travel_and_before_the_dead_time() -> None:
    floored = driven(Pwm(body="Block", power_W=200, floor=0.3, off_below=0.1, dead_time_s=9, steps=10), 0.2)
    assert floored.put_out[0] == pytest.approx(0.3)
    assert floored.drive == pytest.approx(0.2)
    window = driven(SlowWindow(body="Block", power_W=200, window_s=1, resolution_s=0, dead_time_s=9), 0.37)
    assert window.put_out[0] == pytest.approx([*[0.37] * 100, 0.0])
    assert window.drives_W[0, 5] == 0
    assert window.drives_W[0, 20] == pytest.approx(0.37 * 200)
    valve = driven(Valve(body="Block", power_W=200, travel_s=10), 0.25)
    assert valve.put_out[0, :4] == pytest.approx([0.05, 0.15, 0.2375, 0.25])


def test_shortest_times_are_of_complete_pulses_of_every_kind_of_drive() -> None:
    demands = [0.0, 1.0, 0.0, 1.0, 0.0, 1.0]
    kinds: tuple[AnyDrive, ...] = (
        Relay(body="Block", power_W=1), Pwm(body="Block", power_W=1), Fan(acts="heats"), Valve(travel_s=0.1),
    )  # fmt: skip
    for drive in kinds:
        changes = [0.0, 10, 25, 33, 55, 60]
        plan = Plan(
            changes=tuple(SetpointChange(at_s=t, to_degC=20 + d) for t, d in zip(changes, demands, strict=True))
        )
        rig = with_fields(one_lag(lag_s=1e7), drives=(drive,))
        run = compute(rig, Pid(terms="P", kp_per_K=1.0), with_fields(trial(80), plan=plan))
        found = run.switching[0]
        assert found.ons == 3, drive.kind
        about = 0.2 if drive.kind == "valve" else 1e-9
        assert found.shortest_on_s == pytest.approx(15, abs=about), drive.kind
        assert found.shortest_off_s == pytest.approx(5, abs=about), drive.kind


def test_a_confirmed_restart_delay_counts_from_switching_off() -> None:
    run = compute(one_lag(), OnOff(below_K=0.2, above_K=0.2, shortest_off_s=31, shortest_on_s=12), trial(3000))
    assert run.switching[0].shortest_off_s == pytest.approx(31)
