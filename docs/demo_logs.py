"""Makes the logs of the demos anew: `python docs/demo_logs.py`.

Each is of a rig that is not quite the demo's, with noise, steps of the converter, a disturbance and surroundings that
drift, in a shape that some board or other writes. How each is read is kept beside them in `readings.json`.
"""

import json
import math
from pathlib import Path

import numpy as np

from kelvarn.demos import find_demo
from kelvarn.engine.prepare import Played
from kelvarn.engine.run import PreparedRun, Run
from kelvarn.files.logs.guess import Guess
from kelvarn.files.logs.reader import open_log, read_log
from kelvarn.fit.replay import begun_at, plain
from kelvarn.fit.ways import WAYS
from kelvarn.model.edit import with_fields
from kelvarn.model.events import DoorOpens, DrawOffRuns, SurroundingsChange
from kelvarn.model.fixed import Fixed
from kelvarn.model.rig import Rig
from kelvarn.model.tolerances import parameters, varied
from kelvarn.model.trial import Plan, SetpointChange, Trial

FOLDER = Path(__file__).parent.parent / "src" / "kelvarn" / "demos" / "logs"
BAD = Path(__file__).parent.parent / "tests" / "files" / "bad_logs"
MINUTE, HOUR = 60.0, 3600.0


def real(demo: str, seed: int, share: float = 0.35) -> Rig:
    """A rig as it really is: every value somewhere within its tolerance."""
    rig = find_demo(demo).build().rig
    moved = [p for p in parameters(rig) if p.path[-1] not in ("temperature_degC", "noise_K", "offset_K")]
    places = np.random.default_rng(seed).uniform(-share, share, len(moved))
    made: Rig = varied(rig, moved, places.tolist())
    return made


def trial(duration_s: float, setpoint: float = 20.0, events: tuple = (), changes: tuple = ()) -> Trial:
    plan = Plan(changes=changes or (SetpointChange(at_s=0, to_degC=setpoint),))
    return Trial(name="Log", duration_s=duration_s, plan=plan, events=events)


def stepped(rig: Rig, steps: list[tuple[float, float]], duration_s: float, every_s: float, events: tuple = (),
            start_degC: float | None = None) -> Run:  # fmt: skip
    """A run with the drive set by hand."""
    made = plain(rig, every_s)
    probes = tuple(with_fields(p, noise_K=0.0, resolution_K=0.0) for p in made.probes)
    made = with_fields(made, probes=probes)
    if start_degC is not None:
        made = begun_at(made, start_degC)
    samples = math.floor(duration_s / every_s) + 1
    t = np.arange(samples) * every_s
    drive = np.zeros(samples)
    for at, level in steps:
        drive[t >= at] = level
    run = PreparedRun(made, Fixed(drive=0.0), trial(duration_s, events=events), played=Played(drive))
    run.advance()
    return run.run()


def controlled(demo: str, rig: Rig, candidate: str, duration_s: float, setpoint: float, events: tuple = ()) -> Run:
    """A run of one of the demo's candidates."""
    controller = find_demo(demo).build().candidate(candidate).controller
    made = PreparedRun(rig.unguarded, controller, trial(duration_s, setpoint, events))
    made.advance()
    return made.run()


def read_off(degC: np.ndarray, noise_K: float, step_K: float, seed: int) -> np.ndarray:
    """What a probe shows of it."""
    shown = degC + noise_K * np.random.default_rng(seed).standard_normal(degC.size)
    return np.round(shown / step_K) * step_K


def ambient(run: Run, seed: int, step_K: float = 0.1) -> np.ndarray:
    return read_off(np.array([run.surroundings_at(t) for t in run.time_s]), 0.05, step_K, seed)


READINGS: dict[str, object] = {}


def keep(name: str, lines: list[str], **answers: int) -> None:
    """Write a log, and how it is read: the first choice of each doubt unless `answers` says another."""
    raw = ("\n".join(lines) + "\n").encode()
    (FOLDER / name).write_bytes(raw)
    opened = open_log(raw, name)
    guess: Guess = opened.guess
    reading = guess.reading
    for k, choice in answers.items():
        reading = guess.doubts[int(k.removeprefix("doubt"))].choices[choice][1]
    data = read_log(with_fields(opened.log, reading=reading))
    READINGS[name] = reading.model_dump(mode="json")
    print(f"{name}: {data.time_s.size} rows, {data.duration_s / 3600:.2f} h, {data.measured_degC.min():.1f} … "
          f"{data.measured_degC.max():.1f} °C; {data.faults.text}", *(d.text for d in guess.doubts), sep="\n    ")  # fmt: skip


def cabinet() -> None:
    rig = real("cure-cabinet", 4)
    drift = SurroundingsChange(name="Room warms", at_s=0, lasts_s=5 * HOUR, change_K=1.2, course="ramp")
    door = DoorOpens(name="Door", at_s=2 * HOUR, lasts_s=90, body="Air", conductance_W_per_K=30)

    def table(run: Run, seed: int, begin_ms: int) -> list[str]:
        shown, room = read_off(run.measured_degC, 0.06, 0.0625, seed), ambient(run, seed + 100)
        rows = ["Cabinet logger v2; interval 5 s", "ms;T air;Room;PWM;Note"]
        for k, t in enumerate(run.time_s.tolist()):
            note = "door" if door.at_s <= t < door.at_s + 90 and run.trial.events[-1].kind == "door" else ""
            duty = round(255 * float(run.drive[k]))
            row = f"{(begin_ms + round(1000 * t)) % 2**32};{shown[k]:.2f};{room[k]:.1f};{duty};{note}"
            rows.append(row.replace(".", ","))
        rows.insert(400, rows[399])  # a row that was sent twice
        return rows

    cold = stepped(rig, [(4 * MINUTE, 0.47)], 5 * HOUR, 5.0, (drift, door))
    keep("cabinet-cold.csv", table(cold, 1, 2**32 - 7_200_000))
    warm = stepped(rig, [(0, 0.22), (20 * MINUTE, 0.5), (2.2 * HOUR, 0.1)], 4 * HOUR, 5.0, (drift,), start_degC=40.0)
    keep("cabinet-warm.csv", table(warm, 2, 61_250))
    leaky = WAYS["loss"].apply(rig, math.log(1.31))
    later = stepped(leaky, [(4 * MINUTE, 0.47)], 4 * HOUR, 5.0, (drift,))
    keep("cabinet-three-weeks-later.csv", table(later, 3, 12_000))


def heatsink() -> None:
    rig = real("heatsink-fan", 5)
    run = stepped(rig, [(0, 0.45), (6 * MINUTE, 1.0), (16 * MINUTE, 0.45)], 30 * MINUTE, 1.0, start_degC=60.0)
    shown = read_off(run.measured_degC, 0.05, 0.1, 11)
    room = ambient(run, 111)
    rows = [json.dumps({"ts": 1_793_000_000 + t, "sink": {"temp_c": round(float(shown[k]), 1)},
                        "ambient_c": round(float(room[k]), 1), "fan_pct": round(100 * float(run.drive[k]))})
            for k, t in enumerate(run.time_s.tolist())]  # fmt: skip
    keep("heatsink-fan-steps.jsonl", rows)


def wax() -> None:
    rig = real("wax-pot", 6)
    tap = DrawOffRuns(name="Pouring", at_s=2.5 * HOUR, lasts_s=4 * MINUTE, draw_off="Tap")
    run = controlled("wax-pot", rig, "On/off ±1", 3.5 * HOUR, 78.0, (tap,))
    shown = read_off(run.measured_degC, 0.08, 0.25, 21)
    on = run.put_out[0] > 0
    step = max(1, round(4.0 / rig.probe.interval_s))
    rows = [f"{k}: T={shown[k]:.2f} C, relay: {'ON' if on[k] else 'OFF'}, up: {t:.0f} s".split(": ", 1)[1]
            for k, t in list(enumerate(run.time_s.tolist()))[::step]]  # fmt: skip
    keep("wax-relay-swings.txt", ["Wax pot ready", *rows])


def bowl() -> None:
    rig = real("tempering-bowl", 7)
    plan = (SetpointChange(at_s=0, to_degC=45.0), SetpointChange(at_s=40 * MINUTE, to_degC=27.5))
    controller = find_demo("tempering-bowl").build().candidate("PI, one gain").controller
    made = PreparedRun(rig.unguarded, controller, trial(80 * MINUTE, changes=plan))
    made.advance()
    run = made.run()
    shown = read_off(run.measured_degC, 0.02, 0.05, 31)
    rows = ["Elapsed [s]\tChocolate [°C]\tTarget [°C]\tOutput [%]"]
    rows += [f"{t:.0f}\t{shown[k]:.2f}\t{run.setpoint_degC[k]:.1f}\t{100 * run.drive[k]:.1f}"
             for k, t in enumerate(run.time_s.tolist())]  # fmt: skip
    keep("bowl-hold-and-cool.tsv", rows)


def shed() -> None:
    rig = real("lemon-shed", 8)
    frosty = SurroundingsChange(name="Day and night", at_s=0, change_K=5, course="wave", period_s=24 * HOUR)
    run = controlled("lemon-shed", with_fields(rig, permits=()), "On/off −1 +1", 2 * 24 * HOUR, 6.0, (frosty,))
    shown, room = read_off(run.measured_degC, 0.05, 0.0625, 41), ambient(run, 141)
    rows = ["Time,Shed,Outside,Heater"]
    for k, t in list(enumerate(run.time_s.tolist()))[::6]:
        clock = 18 * 3600 + round(t)
        rows.append(f"{clock // 3600 % 24:02d}:{clock // 60 % 60:02d}:{clock % 60:02d},{shown[k]:.2f},{room[k]:.1f},"
                    f"{'on' if run.put_out[0][k] > 0 else 'off'}")  # fmt: skip
    keep("shed-two-nights.csv", rows)


def kiln() -> None:
    rig = real("enamelling-kiln", 9)
    run = stepped(rig, [(5 * MINUTE, 0.6), (100 * MINUTE, 0.0)], 3 * HOUR, 8.0)
    shown = read_off(run.measured_degC * 1.8 + 32, 0.8, 1.0, 51)
    rows = ["Date,Kiln (°F),Room (°F),Element W"]
    for k, t in enumerate(run.time_s.tolist()):
        s = 9 * 3600 + round(t)
        rows.append(f"2026-10-17T{s // 3600:02d}:{s // 60 % 60:02d}:{s % 60:02d}+02:00,{shown[k]:.0f},70,"
                    f"{2200 * float(run.drive[k]):.0f}")  # fmt: skip
    keep("kiln-heat-and-cool.csv", rows)


def bad() -> None:
    """One of each kind that must be refused or warned about, for the tests: what `kelvarn fit` has to say of it."""
    BAD.mkdir(parents=True, exist_ok=True)
    t = np.arange(0, 1200, 5.0)
    u = np.where(t >= 100, 0.5, 0.0)
    y = read_off(19 + 50 * (1 - np.exp(-np.maximum(t - 130, 0) / 300)), 0.05, 0.0625, 9)
    head = "time_s,temp_C,duty_%"

    def rows(degC: np.ndarray = y, drive: np.ndarray = u, until: int = t.size) -> list[str]:
        return [f"{t[k]:.0f},{degC[k]:.4g},{100 * drive[k]:.0f}" for k in range(until)]

    flat, off = np.full(t.size, 21.0), np.full(t.size, 0.45)
    back = rows()
    files = {
        "no-time.csv": ["temp_C,duty_%", *(row.split(",", 1)[1] for row in rows())],
        "two-rows.csv": [head, *rows()[:2]],
        "one-value.csv": [head, *rows(degC=flat)],
        "drive-never-moves.csv": [head, *rows(drive=off)],
        "no-drive.csv": ["time_s,temp_C", *(row.rsplit(",", 1)[0] for row in rows())],
        "kelvin-called-celsius.csv": [head, *rows(degC=y + 273.15)],
        "mixed-delimiters.csv": [row.replace(",", ";,|"[k % 3] * (1 + k % 2)) for k, row in enumerate(rows())],
        "header-only.csv": [head],
        "words-only.csv": ["state,mode,colour", *(["warm,slow,red", "cold,fast,blue"] * 20)],
        "begins-anew.csv": [head, *back[:90], *back],
        "not-a-number.csv": [head, *(row.replace(row.split(",")[1], "nan") for row in rows())],
        "shorter-than-dead-time.csv": [head, *rows(until=24)],
        "too-short.csv": [head, *rows(until=75)],
        "decimal-commas.csv": [
            "t,temp,duty",
            *(f"{row.split(',')[0]},{row.split(',')[1].replace('.', ',')},50" for row in rows()),
        ],
    }
    for name, lines in files.items():
        (BAD / name).write_text("\n".join(lines) + "\n")
    (BAD / "binary.csv").write_bytes(bytes(range(256)) * 8)


def main() -> None:
    FOLDER.mkdir(exist_ok=True)
    bad()
    for make in (cabinet, heatsink, wax, bowl, shed, kiln):
        make()
    reading = READINGS["kiln-heat-and-cool.csv"]
    assert isinstance(reading, dict)
    reading["full_W"] = 2200.0
    (FOLDER / "readings.json").write_text(json.dumps(READINGS, indent=1, ensure_ascii=False, sort_keys=True) + "\n")


if __name__ == "__main__":
    main()
