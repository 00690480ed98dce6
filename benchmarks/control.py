"""Advice on control: how near predictions are to runs, how long it takes, and what the search finds on 40 made rigs."""

import itertools
import sys
import time
from collections.abc import Iterator

import numpy as np

from kelvarn.demos import DEMOS
from kelvarn.engine.measures import measure
from kelvarn.engine.run import compute
from kelvarn.model.bodies import Body, Link, Surroundings
from kelvarn.model.candidate import Candidate
from kelvarn.model.drives import Pwm
from kelvarn.model.edit import with_fields
from kelvarn.model.fields import SURROUNDINGS
from kelvarn.model.forms import FORMS, FormError
from kelvarn.model.mark import Mark
from kelvarn.model.on_off import OnOff
from kelvarn.model.pid import Pid
from kelvarn.model.probes import Probe
from kelvarn.model.project import Project
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Plan, SetpointChange, Trial
from kelvarn.studies.batch import Case, run_many
from kelvarn.studies.gain_map import axis_of, begun, refine, usual_axes
from kelvarn.studies.reasons import reasons
from kelvarn.tune.process import FirstOrder, PlantError
from kelvarn.tune.relay_test import relay_test
from kelvarn.tune.simplest import suggest
from kelvarn.tune.starts import plant_of_project, ultimate_of_rig
from kelvarn.tune.swing import swing
from kelvarn.tune.ultimate import Ultimate

_OVER_K, _SLACK = 2.0, 1.15  # marks of the made rigs: overshoot, and times the best settling that brute force found


def one_lag(gain_K: float, lag_s: float, delay_s: float, stored: float, interval_s: float) -> Rig:
    """A block that answers through one lag and a dead time; of its heat capacity a share sits in the heater before it."""
    loss = 2.0
    block, heater = loss * lag_s * (1 - stored), loss * lag_s * stored
    bodies, links = (
        [Body(name="Block", capacity_J_per_K=block)],
        [Link(a="Block", b=SURROUNDINGS, conductance_W_per_K=loss)],
    )
    if stored:
        bodies.append(Body(name="Heater", capacity_J_per_K=heater))
        links.append(Link(a="Heater", b="Block", conductance_W_per_K=5 * loss))
    drive = Pwm(body="Heater" if stored else "Block", power_W=gain_K * loss, steps=65535, dead_time_s=delay_s)
    return Rig(
        bodies=tuple(bodies), links=tuple(links), drives=(drive,), probes=(Probe(body="Block", interval_s=interval_s),),
        surroundings=Surroundings(temperature_degC=20.0),
    )  # fmt: skip


def made_rigs() -> Iterator[tuple[str, Rig, float]]:
    """Forty rigs with how long a trial of each lasts: gain, lag, dead time and stored heat in all combinations."""
    for gain, lag, ratio, stored in itertools.product(
        (60.0, 200.0), (100.0, 1000.0), (0.02, 0.05, 0.1, 0.2, 0.5), (0.0, 0.2)
    ):
        delay = ratio * lag
        interval = max(lag / 200, delay / 8)
        yield f"{gain:g} K, {lag:g} s, {delay:g} s, {stored:g}", one_lag(gain, lag, delay, stored, interval), 6 * lag


def brute(rig: Rig, asked: Trial, laws: list[Pid]) -> float | None:
    """The quickest settling of all laws that do not overshoot too far; None where none settles."""
    best: float | None = None
    for result in run_many(Case(k, rig, law, asked) for k, law in enumerate(laws)):
        if result.measures is None:
            continue
        values = result.measures.main.values
        over, settled = values["overshoot_K"], values["settling_s"]
        if settled is not None and (over or 0.0) <= _OVER_K and (best is None or settled < best):
            best = settled
    return best


def laws_of(at: Ultimate, terms: str) -> list[Pid]:
    """Ten thousand settings of PI, or of PID, round the ultimate point."""
    gain, ti = (
        np.geomspace(0.01, 0.9, 100 if terms == "PI" else 22),
        np.geomspace(0.2, 40, 100 if terms == "PI" else 23),
    )
    td = (0.0,) if terms == "PI" else np.geomspace(0.02, 0.5, 20)
    return [
        Pid.model_validate({"terms": terms, "kp_per_K": float(k * at.gain_per_K), "ti_s": float(i * at.period_s),
                            "td_s": float(d * at.period_s)})
        for k, i, d in itertools.product(gain, ti, td)
    ]  # fmt: skip


def forty() -> str:
    """How often the search meets marks that brute force meets."""
    found = {"PI": [0, 0], "PID": [0, 0]}
    missed = []
    for name, rig, duration in made_rigs():
        asked = Trial(name="Step", duration_s=duration, plan=Plan(changes=(SetpointChange(at_s=0, to_degC=50.0),)))
        at = ultimate_of_rig(rig, asked)
        assert at is not None
        for terms in ("PI", "PID"):
            best = brute(rig, asked, laws_of(at, terms))
            if best is None:
                continue
            marks = (Mark(measure="overshoot_K", limit=_OVER_K), Mark(measure="settling_s", limit=_SLACK * best))
            project = Project(
                name="x", rig=rig, candidates=(Candidate(name="x", controller=Pid()),),
                trials=(with_fields(asked, marks=marks),),
            )  # fmt: skip
            strategy = next(each for each in suggest(project, project.trials).best if each.strategy == terms)
            found[terms][1] += 1
            found[terms][0] += strategy.met == strategy.asked
            if strategy.met < strategy.asked:
                missed.append(f"{terms} of {name}: missed by {100 * strategy.miss:.0f} %")
        print(name, found, file=sys.stderr)
    lines = [f"| {terms} | {met} of {count} |" for terms, (met, count) in found.items()]
    said = f" Missed: {'; '.join(missed)}." if missed else ""
    return (
        "\n".join(["| strategy | marks met where brute force meets them |", "|---|---|", *lines])
        + f"\n\n{said.strip()}"
    )


def predictions() -> str:
    """On/off's swing and period, and the relay test, against runs of one lag."""
    rows = [
        "| gain, lag, dead time, setpoint, edges | swing | period | relay test: gain | period |",
        "|---|---|---|---|---|",
    ]
    for gain, lag, delay, setpoint, below, above in (
        (100, 200, 10, 60, 1, 1), (100, 200, 4, 90, 2, 0.5), (50, 1000, 60, 40, 0.3, 0.3), (200, 300, 30, 50, 0, 0),
    ):  # fmt: skip
        told = swing(FirstOrder(gain, lag, delay), setpoint - 20, below, above)
        rig = one_lag(gain, lag, delay, 0.0, 0.05)
        asked = Trial(name="x", duration_s=12 * told.period_s + 4 * lag,
                      plan=Plan(changes=(SetpointChange(at_s=0, to_degC=setpoint),)))  # fmt: skip
        values = measure(compute(rig, OnOff(below_K=below, above_K=above), asked)).main.values
        off = [told.swing_K / (values["swing_K"] or 1) - 1, told.period_s / (values["swing_period_s"] or 1) - 1]
        sampled = one_lag(gain, lag, delay, 0.0, 1.0)
        exact = ultimate_of_rig(sampled, asked)
        test = relay_test(sampled, setpoint, FirstOrder(gain, lag, delay)).found
        assert exact is not None
        off += [test.gain_per_K / exact.gain_per_K - 1, test.period_s / exact.period_s - 1]
        figures = " | ".join(f"{100 * each:+.2f} %" for each in off)
        rows.append(f"| {gain} K, {lag} s, {delay} s, {setpoint} °C, −{below} +{above} K | {figures} |")
    return "\n".join(rows)


def forms() -> str:
    """The largest difference of the drive over whole runs between a law and the same through each form."""
    worst: dict[str, float] = {}
    for demo in DEMOS:
        project = demo.build()
        h = project.rig.probe.interval_s
        for candidate in project.candidates:
            law = candidate.controller
            if not isinstance(law, Pid):
                continue
            before = compute(project.rig, law, project.first_trial).drive
            for key, form in FORMS.items():
                try:
                    again = form.write(law, form.read(law, h), h)
                except FormError:
                    continue
                off = float(np.abs(compute(project.rig, again, project.first_trial).drive - before).max())
                worst[key] = max(worst.get(key, 0.0), off)
    return "\n".join(
        ["| form | drive differs by at most |", "|---|---|", *(f"| {k} | {v:.1e} |" for k, v in worst.items())]
    )


def times() -> str:
    """Map, reasons and search on every demo."""
    rows = ["| demo | map: first picture | map: all 48×48 | why | the simplest: runs | and time | proposes |",
            "|---|---|---|---|---|---|---|"]  # fmt: skip
    for demo in DEMOS:
        project = demo.build()
        asked = project.first_trial
        candidate = project.candidates[-1]
        compute(project.rig, candidate.controller, asked)
        path = usual_axes(candidate.controller)
        assert path is not None
        known = begun(project.rig, asked, *(axis_of(candidate.controller, each) for each in path))
        begin = time.perf_counter()
        known = refine(known, project.rig, candidate.controller, asked)
        first = time.perf_counter() - begin
        while not known.complete:
            known = refine(known, project.rig, candidate.controller, asked)
        whole = time.perf_counter() - begin
        begin = time.perf_counter()
        reasons(project, candidate, asked)
        why = time.perf_counter() - begin
        begin = time.perf_counter()
        found = suggest(project, project.trials)
        took = time.perf_counter() - begin
        proposed = "none" if found.proposed is None else found.proposed.strategy
        rows.append(
            f"| {demo.title} | {1000 * first:.0f} ms | {whole:.1f} s | {1000 * why:.0f} ms | {found.runs} | {took:.1f} s | {proposed} |"
        )
        print(rows[-1], file=sys.stderr)
    return "\n".join(rows)


def relays_of_demos() -> str:
    """The relay test of each demo beside the ultimate point worked out."""
    rows = ["| demo | worked out | relay test |", "|---|---|---|"]
    for demo in DEMOS:
        project = demo.build()
        asked = project.first_trial
        exact = ultimate_of_rig(project.rig, asked)
        said = "none" if exact is None else f"{exact.gain_per_K:.4g} 1/K, {exact.period_s:.4g} s"
        try:
            test = relay_test(project.rig, asked.plan.last_degC, plant_of_project(project, asked)).found
            told = f"{test.gain_per_K:.4g} 1/K, {test.period_s:.4g} s"
        except PlantError as error:
            told = str(error)
        rows.append(f"| {demo.title} | {said} | {told} |")
    return "\n".join(rows)


def main() -> None:
    """Print the section."""
    print("## Control\n")
    print("`python -m benchmarks.control`.\n")
    for part in (predictions, relays_of_demos, forms, times, forty):
        print(f"{part.__doc__}\n\n{part()}\n")


if __name__ == "__main__":
    main()
