"""Fixtures for all tests: made-up rigs, and a home of its own for whatever is written."""

import os
from pathlib import Path

import pytest
from hypothesis import settings

from kelvarn.demos.cure_cabinet import cure_cabinet
from kelvarn.model.bodies import Body, Link, Surroundings
from kelvarn.model.drives import Pwm
from kelvarn.model.fields import SURROUNDINGS
from kelvarn.model.probes import Probe
from kelvarn.model.project import Project
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Plan, SetpointChange, Trial

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

# The same examples in every run; `--hypothesis-profile default` looks for new ones.
settings.register_profile("fixed", derandomize=True)
settings.load_profile("fixed")


@pytest.fixture(autouse=True)
def _own_home(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """No test reads or writes the user's state folder. The compiler's cache stays: it is found at import."""
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path / "config"))


@pytest.fixture
def cabinet() -> Project:
    """The demo project."""
    return cure_cabinet()


def one_lag(gain_K: float = 100.0, lag_s: float = 200.0, dead_time_s: float = 0.0, interval_s: float = 1.0) -> Rig:
    """One body that answers full drive with `gain_K` through one lag, from 20 °C surroundings."""
    conductance = 2.0
    return Rig(
        bodies=(Body(name="Block", capacity_J_per_K=conductance * lag_s),),
        links=(Link(a="Block", b=SURROUNDINGS, conductance_W_per_K=conductance),),
        drives=(Pwm(body="Block", power_W=gain_K * conductance, steps=65535, dead_time_s=dead_time_s),),
        probes=(Probe(body="Block", interval_s=interval_s),),
        surroundings=Surroundings(temperature_degC=20.0),
    )


def trial(duration_s: float, setpoint_degC: float = 60.0, **more: object) -> Trial:
    """A trial with one setpoint from the start."""
    plan = Plan(changes=(SetpointChange(at_s=0, to_degC=setpoint_degC),))
    return Trial(name="Trial", duration_s=duration_s, plan=plan, **more)  # type: ignore[arg-type]
