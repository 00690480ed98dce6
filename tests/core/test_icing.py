"""Ice on a cold body in damp air: beside an integration written another way, and its balances of mass and energy."""

import math
from dataclasses import dataclass
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.integrate import solve_ivp

from kelvarn.desktop.stations.rig.words import verdict_text
from kelvarn.engine.flows import Flows
from kelvarn.engine.run import Run, compute
from kelvarn.engine.steady import rest_degC
from kelvarn.engine.step import open_loop
from kelvarn.handover.user_page import user_parts
from kelvarn.model.bodies import Body, Link, Melting, Surroundings
from kelvarn.model.candidate import Candidate
from kelvarn.model.control_events import Pause
from kelvarn.model.drives import Fan, Pwm
from kelvarn.model.edit import with_fields
from kelvarn.model.events import Load
from kelvarn.model.fixed import Hand
from kelvarn.model.icing import Icing
from kelvarn.model.on_off import OnOff
from kelvarn.model.probes import Probe
from kelvarn.model.project import Project
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Plan, SetpointChange, Trial
from kelvarn.studies.failures import failure_table
from kelvarn.studies.results import result_of
from kelvarn.tune.remarks import remarks
from kelvarn.units import Quantity, Scale, show
from kelvarn.words.limitations import limitations

COIL, AIR, OUT_DEGC = 4000.0, 9000.0, 22.0
WHOLE_DAY = 24 * 3600.0
PLAN = Plan(changes=(SetpointChange(at_s=0, to_degC=3),))


@dataclass(frozen=True)
class Case:
    """A cold room's coil with a fan, of which some things differ."""

    dew_degC: float = 2.0
    area_m2: float = 1.2
    blocks_kg: float | None = 1.5
    start_kg: float = 0.0
    cools_W: float = 250.0
    iced: str = "a"

    @property
    def rig(self) -> Rig:
        ends = ("Coil", "Air") if self.iced == "a" else ("Air", "Coil")
        icing: Any = Icing(
            iced=self.iced, dew_point_degC=self.dew_degC, area_m2=self.area_m2, blocks_kg=self.blocks_kg,
            start_kg=self.start_kg,
        )  # fmt: skip
        return Rig(
            bodies=(Body(name="Coil", capacity_J_per_K=COIL), Body(name="Air", capacity_J_per_K=AIR)),
            links=(
                Link(a="Air", b="surroundings", conductance_W_per_K=6),
                Link(a=ends[0], b=ends[1], conductance_W_per_K=4, driven_by="Fan", full_W_per_K=25, icing=icing),
            ),
            drives=(
                Pwm(name="Cooler", body="Coil", power_W=self.cools_W, acts="cools", steps=65535),
                Fan(name="Fan", acts="cools", power_W=10, stalls_below=0, starts_from=0),
            ),
            probes=(Probe(name="P", body="Air", interval_s=20),), surroundings=Surroundings(temperature_degC=OUT_DEGC),
        )  # fmt: skip


def _saturated(degC: float) -> float:
    hPa = 6.112 * math.exp(22.46 * degC / (272.62 + degC) if degC < 0 else 17.62 * degC / (243.12 + degC))
    return 0.622 * hPa / (1013.25 - hPa)


def _reference(case: Case, until_s: float) -> tuple[float, float, float]:
    """Coil and air in degC and ice in kg at the end of full drive, in kilograms and joules."""

    def rates(_: float, y: Any) -> list[float]:
        coil, air, ice = y
        ice = max(ice, 0.0)
        way = 1.0 if case.blocks_kg is None else max(1 - ice / case.blocks_kg, 0.02)
        bare = 4 + 25 * way**0.8
        frost = ice / 250 / case.area_m2  # thickness, m
        clothed = 1 / (1 / bare + frost / (0.278283 * case.area_m2))
        vapour = bare / 1006 * (_saturated(case.dew_degC) - _saturated(coil))  # kg/s
        some = ice / (ice + 0.05 * COIL / 333.55e3)
        frozen = min(max(-coil / 0.2, 0), 1)
        taken = vapour if vapour > 0 else vapour * some * frozen
        to_ice = taken * frozen if vapour > 0 else taken
        melts = some * max(coil, 0) * COIL / 20 / 333.55e3
        heat = clothed * (air - coil)
        warmed = heat - case.cools_W + 2.501e6 * taken + 333.55e3 * (to_ice - melts)
        return [warmed / COIL, (6 * (OUT_DEGC - air) - heat) / AIR, to_ice - melts]

    found = solve_ivp(rates, (0, until_s), [OUT_DEGC, OUT_DEGC, case.start_kg], "Radau", rtol=1e-9, atol=1e-10,
                      max_step=200)  # fmt: skip
    coil, air, ice = found.y[:, -1].tolist()
    return coil, air, ice


def _run(case: Case, duration_s: float, **more: Any) -> Run:
    return compute(case.rig, Hand(drive=1.0), Trial(name="T", duration_s=duration_s, plan=PLAN, **more))


@pytest.mark.parametrize("case", [
    Case(), Case(iced="b"), Case(blocks_kg=None), Case(dew_degC=-12, start_kg=0.4), Case(dew_degC=12, area_m2=0.15),
    Case(start_kg=0.8, cools_W=5), Case(cools_W=60),
])  # fmt: skip
def test_ice_grows_and_melts_as_an_integration_in_kilograms_says(case: Case) -> None:
    for hours in (1, 9):
        run = _run(case, hours * 3600)
        coil, air, ice = _reference(case, hours * 3600)
        assert run.bodies_degC[:, -1] == pytest.approx([coil, air], abs=2e-3)
        assert run.ice_kg[0, -1] == pytest.approx(ice, abs=2e-5)


@settings(deadline=None, max_examples=40)
@given(
    st.floats(-20, 20), st.floats(0.3, 3), st.one_of(st.none(), st.floats(0.1, 4)), st.floats(0, 1),
    st.floats(0, 160), st.sampled_from("ab"), st.booleans(),
)  # fmt: skip
def test_mass_and_energy_balance(dew: float, area: float, blocks: float | None, ice: float, cools: float, iced: str,
                                 defrosts: bool) -> None:  # fmt: skip
    case = Case(dew, area, blocks, ice, max(cools, 1.0), iced)
    pause = {"name": "Defrost", "at_s": 7200, "lasts_s": 1800, "again_s": 10800}
    events = (Pause(**pause), Load(body="Coil", power_W=400, **{**pause, "name": "Heater"})) if defrosts else ()
    run = _run(case, 8 * 3600, events=events)
    stored = float(np.dot([COIL, AIR], run.bodies_degC[:, -1] - run.bodies_degC[:, 0]))
    grown_kg = float(run.ice_kg[0, -1] - run.ice_kg[0, 0])
    damp_J = stored + run.lost_J - run.heat_J - run.loaded_J
    turnover_J = run.energy_J + abs(run.damp_J) + abs(run.loaded_J) + 1.0
    assert abs(damp_J - run.damp_J) < 1e-6 * turnover_J
    # All vapour that came is ice or has run off: the heat that it brought says how much that was.
    taken_kg = (damp_J - 333.55e3 * grown_kg) / 2.501e6
    assert abs(taken_kg - grown_kg - run.drained_kg) < 1e-6 * (turnover_J / 2.501e6 + ice)
    assert (run.ice_kg >= 0).all()
    assert run.drained_kg > -1e-9


def test_ice_chokes_the_fan_and_a_defrost_gives_it_back() -> None:
    choked = _run(Case(blocks_kg=0.8), WHOLE_DAY)
    assert choked.flow[1, -1] == pytest.approx(0.02)
    assert choked.bodies_degC[0, -1] < -30  # nothing brings it heat any more
    defrost = {"at_s": 4 * 3600, "lasts_s": 1500, "again_s": 4 * 3600}
    events = (Pause(name="Defrost", **defrost), Load(name="Heater", body="Coil", power_W=250, **defrost))
    kept = _run(Case(blocks_kg=0.8), WHOLE_DAY, events=events)
    assert kept.ice_kg.max() < 0.6
    assert kept.drained_kg > 1.0
    melting = kept.time_s[(kept.ice_kg[0] > 0.1) & (kept.bodies_degC[0] > 0)]
    assert melting.size
    assert kept.bodies_degC[0][np.isin(kept.time_s, melting)].max() < 6


def test_dry_air_takes_ice_away_and_never_more_than_there_is() -> None:
    run = _run(Case(dew_degC=-25, start_kg=0.02, cools_W=150), WHOLE_DAY)
    assert (np.diff(run.ice_kg[0]) <= 1e-12).all()
    assert run.ice_kg[0, -1] == pytest.approx(0, abs=1e-4)


@pytest.mark.parametrize(("change", "says"), [
    ({"links": (Link(a="Coil", b="surroundings", conductance_W_per_K=1, icing=Icing(iced="b")),)}, "other end"),
    ({"bodies": (
        Body(name="Coil", capacity_J_per_K=1, melting=Melting(from_degC=1, to_degC=2, latent_J=9)),
        Body(name="Air", capacity_J_per_K=1)),
      }, "melting range"),
    ({"links": (Link(a="Coil", b="surroundings", conductance_W_per_K=1, icing=Icing()), Case().rig.links[1])}, "two"),
    ({"links": (
        Link(a="Air", b="surroundings", conductance_W_per_K=1, driven_by="Fan", full_W_per_K=1,
             icing=Icing(blocks_kg=1)), Case().rig.links[1])}, "chokes"),
])  # fmt: skip
def test_ice_where_none_can_be_is_refused_in_a_sentence(change: dict[str, Any], says: str) -> None:
    with pytest.raises(ValueError, match=says):
        with_fields(Case().rig, **change)


def _project(case: Case) -> Project:
    """The case as a project that is held at 3 °C for a day by a law that switches."""
    law = OnOff(below_K=0.5, above_K=0.5)
    trial = Trial(name="Day", duration_s=WHOLE_DAY, plan=PLAN)
    return Project(name="Cold room", rig=case.rig, candidates=(Candidate(name="A", controller=law),), trials=(trial,))


def test_a_remark_says_what_the_ice_costs_and_its_defrost_melts_it() -> None:
    project = _project(Case(dew_degC=4))
    result = result_of(project.rig, project.candidates[0].controller, project.first_trial)
    found = [each for each in remarks(project, project.first_trial, {"A": result.measures}) if each.key == "ice grows"]
    assert len(found) == 1
    assert "nothing melts it" in found[0].text
    assert "of the air's way" in found[0].text
    left = result.measures.values["ice_left_kg"]
    assert left is not None
    assert show(left, Quantity.MASS) in found[0].text
    assert found[0].mend is not None
    assert found[0].remedy.startswith("defrost ")
    mended = found[0].mend(project)
    after = result_of(mended.rig, mended.candidates[0].controller, mended.first_trial)
    assert after.measures.values["most_ice_kg"] < 0.4 * left
    assert not [each for each in remarks(mended, mended.first_trial, {"A": after.measures}) if each.key == "ice grows"]
    dry = _project(Case(dew_degC=-30))
    quiet = result_of(dry.rig, dry.candidates[0].controller, dry.first_trial)
    assert not [each for each in remarks(dry, dry.first_trial, {"A": quiet.measures}) if each.key == "ice grows"]


def test_who_uses_it_is_told_what_ices_it() -> None:
    project = _project(Case(dew_degC=4))
    known = {"Day": result_of(project.rig, project.candidates[0].controller, project.first_trial)}
    parts = user_parts(project, known, {}, [], Scale.CELSIUS)
    said = " ".join(line for part in parts for line in part.lines)
    assert "Coil would ice sooner" in said
    assert "Ice: up to" in said
    page = " ".join(limitations(project.rig))
    assert "ice is coarse" in page
    assert "no damp" not in page


def test_heat_path_knows_what_ice_keeps_off() -> None:
    run = _run(Case(blocks_kg=None), 12 * 3600)
    flows = Flows(run, run.time_s.size - 1)
    rate = (run.bodies_degC[1, -1] - run.bodies_degC[1, -2]) / 20 * AIR  # what the air gets and gives
    into_air = 6 * (OUT_DEGC - run.bodies_degC[1, -1]) - abs(flows.link_W(1))
    assert into_air == pytest.approx(rate, abs=0.3)


def test_what_needs_a_rest_is_told_of_the_rig_without_ice() -> None:
    icy, dry = Case(cools_W=120).rig, Case(cools_W=120, dew_degC=-60, blocks_kg=None).rig
    step = open_loop(icy, 1.0)
    assert step.reading is not None
    assert step.run.bodies_degC[:, -1] == pytest.approx(open_loop(dry, 1.0).run.bodies_degC[:, -1])
    assert "before any ice has grown" in verdict_text(icy, 3.0, Scale.CELSIUS, None)


def test_the_failure_table_calls_nothing_safe_that_still_ices() -> None:
    project = _project(Case(dew_degC=0))
    bodies = tuple(with_fields(body, limit_degC=60.0, low_limit_degC=-90.0) for body in project.rig.bodies)
    rig = with_fields(project.rig, bodies=bodies)
    trial = with_fields(project.first_trial, duration_s=3 * 3600)
    table = failure_table(rig, project.candidates[0].controller, trial)
    assert not table.safe
    stuck = next(row.worst for row in table.rows if row.failure.text == "Cooler is stuck on")
    assert not stuck.rests
    # Followed further, the coil passes what a table that believed the rig without ice would have called its end.
    forever = _run(Case(dew_degC=0), 5 * WHOLE_DAY)
    assert forever.bodies_degC[0, -1] < rest_degC(project.rig, 1.0)[0] - 5  # type: ignore[index]
    assert stuck.passed is None
    assert stuck.harmful  # nobody knows how far it goes: it is not called safe
