"""Fixtures for all tests: made-up rigs, and a home of its own for whatever is written."""

import os
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import settings

from kelvarn.demos.cure_cabinet import cure_cabinet
from kelvarn.engine.memory import fresh_found, fresh_state, fresh_trace
from kelvarn.engine.prepare import prepare
from kelvarn.engine.run import Run
from kelvarn.engine.safety import survey_safety
from kelvarn.engine.survey import survey
from kelvarn.files.project_file import from_json, log_members, to_json, with_logs
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


def again(project: Project, text: bytes | str | None = None) -> Project:
    """A project written as JSON, or that text of it, and read again, with what its logs hold."""
    raw = dict(zip(log_members(project), [log.raw for log in project.logs], strict=True))
    return with_logs(from_json(to_json(project) if text is None else text, "x"), raw, "x")


def two_candidates() -> Project:
    """The cure cabinet with on/off and PID alone, both shown, one trial and no goal."""
    demo = cure_cabinet()
    rig = demo.rig.model_copy(update={"goal": None})
    candidates = (demo.candidates[0], demo.candidates[-1])
    return demo.model_copy(update={"rig": rig, "candidates": candidates, "trials": demo.trials[:1], "logs": ()})


@pytest.fixture
def cabinet() -> Project:
    """The cure cabinet with on/off and PID."""
    return two_candidates()


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


def with_course(run: Run, y: np.ndarray, peak_after: int | None = None) -> Run:
    """A run of one body as if its temperature had been this, straight from sample to sample; read anew.

    After the sample `peak_after` it is 5 K higher for a moment.
    """
    prepared = prepare(run.rig, run.trial)
    state, _ = fresh_state(prepared, run.rig, 0.0)
    following = np.append(y[1:], y[-1])
    trace = fresh_trace(prepared, 1)._replace(
        bodies_degC=y[np.newaxis, :], lowest_degC=np.minimum(y, following), highest_degC=np.maximum(y, following),
        setpoint_degC=run.setpoint_degC, given=run.drive, law_code=run.law_code,
        guard_code=run.guard_code, alarm_code=run.alarm_code, tripped=run.tripped,
    )  # fmt: skip
    if peak_after is not None:
        trace.highest_degC[peak_after] += 5.0
    found = fresh_found(prepared)
    for name in ("lowest_degC", "after_low_degC"):
        state.bodies[name] = y.min()
    for name in ("highest_degC", "after_degC"):
        state.bodies[name] = y.max()
    survey(prepared.plant, state, trace, found)
    survey_safety(prepared.plant, state, trace, found)
    return replace(run, bodies_degC=y[np.newaxis, :], found=found)
