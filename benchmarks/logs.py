"""How well and how fast logs are read and fitted: `QT_QPA_PLATFORM=offscreen python -m benchmarks.logs`."""

import math
import os
import sys
import time
from collections.abc import Callable

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import numpy as np
from PySide6.QtWidgets import QApplication
from tests.core.foreign import foreign_files, is_right
from tests.core.made_logs import NOISE, STEP, of, played, step_log, up_and_down

from kelvarn.demos import find_demo
from kelvarn.desktop.lanes.log import LogScene, log_lanes
from kelvarn.desktop.strip import raster
from kelvarn.desktop.strip.strip import Strip
from kelvarn.engine.run import warm
from kelvarn.files.faults import FileError
from kelvarn.files.logs.reader import open_log, read_log
from kelvarn.fit.planning import Rough, plan_step_test
from kelvarn.fit.response import fit_response
from kelvarn.fit.rig_fit import choosable, fit_rig
from kelvarn.fit.trust import preferred, report
from kelvarn.fit.ways import WAYS
from kelvarn.fit.what_changed import compare
from kelvarn.model.log import Log
from kelvarn.model.log_data import LogData
from kelvarn.units import Scale

PLANTS = ((100.0, 900.0, 30.0), (60.0, 300.0, 20.0), (200.0, 4000.0, 120.0), (40.0, 120.0, 2.0))


def timed(work: Callable[[], object]) -> float:
    begun = time.perf_counter()
    work()
    return time.perf_counter() - begun


def accuracy(seeds: int = 20) -> None:
    print(
        "| gain, lag, dead time | worst gain | worst lag | worst dead time | bar of dead time |\n|---|---|---|---|---|"
    )
    for gain, lag, dead in PLANTS:
        fits = [fit_response([of(step_log(s, gain, lag, dead=dead, every=lag / 450))]) for s in range(seeds)]
        worst = [max(abs(f.value(n) / v - 1) for f in fits) for n, v in (("gain_K", gain), ("lag_s", lag))]
        dead_off = max(abs(f.value("dead_time_s") - dead) for f in fits)
        print(
            f"| {gain:g} K, {lag:g} s, {dead:g} s | {100 * worst[0]:.2f} % | {100 * worst[1]:.2f} % | {dead_off:.2f} s "
            f"| {max(1.0, 0.05 * dead):.1f} s |"
        )


def coverage(cases: int = 200) -> None:
    rng = np.random.default_rng(7)
    inside = {"gain_K": 0, "lag_s": 0, "dead_time_s": 0}
    for seed in range(cases):
        gain, lag = float(rng.uniform(30, 200)), float(10 ** rng.uniform(2, 3.7))
        truth = {"gain_K": gain, "lag_s": lag, "dead_time_s": float(lag * rng.uniform(0.01, 0.3))}
        data = step_log(seed, gain, lag, dead=truth["dead_time_s"], seen=float(rng.uniform(0.7, 0.97)), every=lag / 300)
        fit = fit_response([of(data)])
        for name, value in truth.items():
            inside[name] += fit.values[name].low <= value <= fit.values[name].high
    print("intervals cover the truth:", {name: f"{100 * count / cases:.1f} %" for name, count in inside.items()})


def orders(seeds: int = 20) -> None:
    for lag2 in (0.0, 45.0, 150.0):
        right = 0
        for seed in range(seeds):
            found = report([of(step_log(seed, lag2=lag2))])
            right += preferred({found.fit.kind: found.fit, **found.others}) == ("two_lags" if lag2 else "one_lag")
        print(f"second lag {lag2:g} s: the right order {right} of {seeds}")


def planned(seeds: int = 20) -> None:
    print("| gain, lag, dead time | planned (gain, lag, dead time) | achieved over planned |\n|---|---|---|")
    for gain, lag, dead in PLANTS:
        plan = plan_step_test(Rough("one_lag", gain, lag, 0.0, dead, NOISE, STEP))
        made, off = plan.test, []
        for seed in range(seeds):
            data = step_log(seed, gain, lag, dead=dead, seen=1 - math.exp(-(made.lasts_s - dead) / lag),
                            drive=made.drive, every=made.every_s, before=made.before_s)  # fmt: skip
            fit = fit_response([of(data)])
            off.append([fit.value("gain_K") / gain - 1, fit.value("lag_s") / lag - 1, fit.value("dead_time_s") - dead])
        achieved = 1.96 * np.sqrt(np.mean(np.array(off) ** 2, axis=0))
        wished = np.array([plan.precision[n] for n in ("gain_K", "lag_s", "dead_time_s")])
        print(
            f"| {gain:g} K, {lag:g} s, {dead:g} s | ±{100 * wished[0]:.1f} %, ±{100 * wished[1]:.1f} %, ±{wished[2]:.1f} s "
            f"| {', '.join(f'{r:.2f}' for r in achieved / wished)} |"
        )


def named(seeds: int = 20) -> None:
    for demo in ("cure-cabinet", "wax-pot", "enamelling-kiln"):
        rig, parts = find_demo(demo).build().rig, []
        for what in ("loss", "power", "capacity"):
            right = 0
            for seed in range(seeds):
                changed = WAYS[what].apply(rig, math.log(1.2 if seed % 2 else 0.8))
                found = compare(rig, of(played(up_and_down(1200, 10.0), changed, seed)))
                right += [c.what for c in found.changes] == [what]
            parts.append(f"{what} {right}")
        none = sum(not compare(rig, of(played(up_and_down(1200, 10.0), rig, s))).changes for s in range(seeds))
        print(f"{demo}: named rightly of {seeds}: {', '.join(parts)}; nothing where nothing changed: {none}")


def shapes() -> None:
    right = silent = 0
    for file in foreign_files():
        doubts: object = ()
        try:
            found = open_log(file.raw, "x.csv")
            data, doubts = read_log(found.log), found.guess.doubts
            good = is_right(file, data.time_s, data.measured_degC, data.drive)
        except FileError:
            good = False
        right += good
        silent += not good and not doubts
    print(f"foreign shapes: {right} of {len(foreign_files())} right; wrong without a doubt: {silent}")


def speed() -> None:
    n = 1_000_000
    t = np.arange(n) * 0.5
    y, u = 20 + 30 * np.sin(t / 5000), (np.sin(t / 700) > 0) * 200
    raw = ("millis,temp_c,ambient,pwm\n" + "".join(
        f"{int(1000 * a)},{b:.3f},21.5,{c}\n" for a, b, c in zip(t, y, u, strict=True))).encode()  # fmt: skip
    holder: list[LogData] = []

    def open_it() -> None:
        holder[:] = [read_log(open_log(raw, "m.csv").log)]

    took = timed(open_it)
    print(f"a million rows ({len(raw) / 1e6:.0f} MB) opened in {took:.2f} s")
    strip = Strip()
    strip.resize(900, 600)
    strip.show()
    shown = log_lanes(LogScene(Log(name="m"), holder[0], Scale.CELSIUS))
    strip.show_lanes(shown)
    frames, begun = 60, time.perf_counter()
    for k in range(frames):
        strip.zoom.span = (k * t[-1] / 200, k * t[-1] / 200 + t[-1] / 2)
        strip.repaint_all()
        strip.grab()
    print(f"panned at {frames / (time.perf_counter() - begun):.0f} frames/s")
    data = step_log(1, every=0.2)
    log = of(LogData(data.time_s[:10_000], data.measured_degC[:10_000], data.drive[:10_000]))
    for kind in ("one_lag", "two_lags"):
        fit_response([log], kind)  # type: ignore[arg-type]
        print(f"{log.t.size} rows, {kind}: {timed(lambda kind=kind: fit_response([log], kind)):.2f} s")  # type: ignore[misc]
    for demo in ("cure-cabinet", "enamelling-kiln"):
        rig = find_demo(demo).build().rig
        rows = of(played(up_and_down(10_000, 1.0), rig))
        print(
            f"10000 rows, {demo}, five free: {timed(lambda: fit_rig(rig, [rows], choosable(rig)[:5])):.2f} s; "
            f"all {len(choosable(rig))} free: {timed(lambda: fit_rig(rig, [rows])):.2f} s"
        )


def main() -> None:
    """Print all of it."""
    app = QApplication.instance() or QApplication([])
    warm()
    raster.load()
    parts = {each.__name__: each for each in (accuracy, coverage, orders, planned, named, shapes, speed)}
    for name in sys.argv[1:] or list(parts):
        parts[name]()
    del app


if __name__ == "__main__":
    main()
