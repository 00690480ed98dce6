"""Runs all benchmarks and writes RESULTS.md: `python -m benchmarks.run` from the root, after `./start test` once."""

import os
import platform
import statistics
import subprocess
import sys
import time
from dataclasses import dataclass
from datetime import date
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PySide6.QtWidgets import QApplication

from benchmarks import accuracy, kernel, nonlinear, studies, window
from kelvarn.desktop.frame.window import MainWindow
from kelvarn.engine.prepare import TOLERANCE_K

ROOT = Path(__file__).parents[1]


def machine() -> str:
    """Processor and versions."""
    model = next(
        (
            line.partition(":")[2].strip()
            for line in Path("/proc/cpuinfo").read_text().splitlines()
            if "model name" in line
        ),
        platform.machine(),
    )
    gcc = subprocess.run(["gcc", "-dumpversion"], capture_output=True, text=True, check=True).stdout.strip()
    return f"{model}, {os.cpu_count()} cores, Linux, Python {platform.python_version()}, gcc {gcc}"


def columns(rigs: list[accuracy.Apart]) -> list[list[float]]:
    """Differences of random rigs, by what they are of."""
    return [[getattr(each, field) for each in rigs] for field in ("bodies_K", "setpoint_K", "extremes_K")]


def start_overhead_ms() -> tuple[float, float]:
    """Median ms of `./start demos` and of the program alone."""

    def timed(command: list[str]) -> float:
        begin = time.perf_counter()
        subprocess.run(command, cwd=ROOT, check=True, capture_output=True)
        return (time.perf_counter() - begin) * 1e3

    pairs = [
        (timed(["./start", "demos"]), timed([str(Path(sys.executable).with_name("kelvarn")), "demos"]))
        for _ in range(9)
    ]
    return statistics.median(a for a, _ in pairs), statistics.median(b for _, b in pairs)


def python_loop_ms(rounds: int = 9) -> float:
    """Median ms of a million turns of a plain loop: how fast Python itself is here, to set milliseconds against."""

    def once() -> float:
        begin, total = time.perf_counter(), 0
        for k in range(1_000_000):
            total += k * k
        return (time.perf_counter() - begin) * 1e3

    return statistics.median(once() for _ in range(rounds))


def processor_time() -> tuple[int, int]:
    """Ticks that the host withheld from this machine while it wanted to compute, and ticks that it computed."""
    user, nice, system, _, _, irq, soft, stolen = map(int, Path("/proc/stat").read_text().split()[1:9])
    return stolen, user + nice + system + irq + soft


def rest(at_most_s: float = 180.0) -> None:
    """Wait until the host withholds nothing: this one does so for a while after minutes of computing."""
    until = time.perf_counter() + at_most_s
    while time.perf_counter() < until:
        time.sleep(5)
        before, _ = processor_time()
        python_loop_ms(9)
        if processor_time()[0] == before:
            return


@dataclass(frozen=True)
class Drags:
    """One round of drag steps, by what was dragged; ms of the plain loop before and after; share of time withheld."""

    loop_ms: float
    stolen: float
    steps: dict[str, list[window.Took]]

    def row(self) -> str:
        """As a row of the table."""
        cells, met = [f"{self.loop_ms:.0f}", f"{100 * self.stolen:.0f} %"], True
        for steps in self.steps.values():
            median, worst = statistics.median(step.ms for step in steps), max(steps)
            met = met and median <= 0.32 * self.loop_ms and worst.ms <= 0.66 * self.loop_ms
            cells += [f"{median:.1f}", f"{worst.ms:.1f} ({worst.cpu_ms:.1f})"]
        return f"| {' | '.join(cells)} | {'met' if met else 'missed'} |"


def drag(shown: MainWindow) -> Drags:
    """A round of drag steps."""
    rest()
    before, (stolen, used) = python_loop_ms(5), processor_time()
    steps = {what: window.drag_steps(shown, kind) for what, kind in (("setpoint", "setpoint"), ("door", "event_move"))}
    stolen_after, used_after = processor_time()
    share = (stolen_after - stolen) / max(1, stolen_after - stolen + used_after - used)
    return Drags((before + python_loop_ms(5)) / 2, share, steps)


def main() -> None:
    """Run and write."""
    app = QApplication([])
    shown = window.open_window()
    window.drag_steps(shown, "setpoint", 20)
    drags = [drag(shown)]
    against = kernel.compare()
    hours = kernel.linear()
    drags.append(drag(shown))
    study = kernel.error_study()
    adaptive = nonlinear.study()
    drags.append(drag(shown))
    of_demos, of_rigs = accuracy.study()
    rest()
    many, (fortnight_s, fortnight_MB) = studies.study(), studies.fortnight()
    rest()
    with_start, alone = start_overhead_ms()
    drags.append(drag(shown))
    rest()
    idle = window.idle_share(shown)
    panned = window.pan()
    shown.document.close()
    app.processEvents()
    rest()
    starts = window.starts(9)
    loop = python_loop_ms()
    lines = [
        "# Results",
        "",
        f"Made by `python -m benchmarks.run` on {date.today().isoformat()}; {machine()}.",
        "This is a shared virtual machine whose speed was seen to vary by a factor of five from minute to minute, so ratios",
        "within one run say more than milliseconds. Qt draws offscreen, in software. For scale: a million turns of",
        f"`total += k * k` take Python {loop:.0f} ms here, median of 9 in the same run.",
        "",
        "## Kernel",
        "",
        "One sample of the cure cabinet: four bodies, PID, probe with lag, noise and steps, slow window, 8 s dead time; 4 h at",
        "2 s, no events, true extremes followed. C: `benchmarks/loop.c`, gcc -O3 -march=native. Python: `benchmarks/plain.py`,",
        "lists and floats. All three do the same arithmetic and agree within 1e-6 K over the whole run, extremes too. Kernel and",
        "C are timed in turns, 200 rounds, medians; the call from Python is in it, reading the measures is not.",
        "",
        "| | ns a sample | against the kernel | bar |",
        "|---|---|---|---|",
        f"| kernel | {against['kernel']:.0f} | | |",
        f"| C loop | {against['c']:.0f} | kernel takes {against['times_c']:.2f} times as long | ≤ 2 |",
        f"| plain Python | {against['python']:.0f} | {against['python_times']:.0f} times as long | ≥ 100 |",
        "",
        "Linear in samples (the same rig read every second, all measures read, median of 30; bar 10 ms for 24 h):",
        "",
        "| simulated | " + " | ".join(f"{h} h" for h, _ in hours) + " |",
        "|---|" + "---|" * len(hours),
        "| ms | " + " | ".join(f"{ms:.1f}" for _, ms in hours) + " |",
        "",
        "## Accuracy",
        "",
        "Against a second engine, `benchmarks/reference.py`: drives, events, plan and probes worked out anew from the model",
        "page, heat by `scipy.integrate.solve_ivp` (LSODA, rtol and atol 1e-10) between all instants at which anything jumps.",
        "Largest difference of any body at any sample; of the setpoint; of the highest and lowest of the true course, also",
        "between samples (the reference looks at 40 points of each smooth piece). Bar: 2 mK.",
        "",
        "| demo, candidate, whole trial | bodies, K | setpoint, K | extremes, K |",
        "|---|---|---|---|",
        *[f"| {name} | {a.bodies_K:.1e} | {a.setpoint_K:.1e} | {a.extremes_K:.1e} |" for name, a in of_demos.items()],
        "",
        f"{len(of_rigs)} random rigs of every part in the model (`benchmarks/rigs.py`, seeds 5000 on), five minutes each:",
        "",
        "| | bodies, K | setpoint, K | extremes, K |",
        "|---|---|---|---|",
        "| median | " + " | ".join(f"{statistics.median(row):.1e}" for row in columns(of_rigs)) + " |",
        "| worst | " + " | ".join(f"{max(row):.1e}" for row in columns(of_rigs)) + " |",
        "",
        "## Many runs",
        "",
        "The cabinet's 4 h trial with its events, 7201 samples a run; a study keeps the measures and verdicts of each run.",
        f"The plain loop took {many['loop_s'] * 1e3:.0f} ms meanwhile (before, between and after); the bars speak of a machine on",
        "which it takes 50; in brackets stands what that makes of a figure.",
        "",
        "| | measured | bar |",
        "|---|---|---|",
        f"| 2304 runs (gains on a 48 × 48 grid), two threads | {many['map_s']:.2f} s ({many['map_s'] * 0.05 / many['loop_s']:.2f}) | ≤ 2 s |",
        f"| the same, one thread | {many['map_one_s']:.2f} s: two are {many['times']:.2f} times as quick | ≥ 1.7 |",
        f"| first result of it | {many['first_s'] * 1e3:.0f} ms ({many['first_s'] * 50 / many['loop_s']:.0f}) | ≤ 50 ms |",
        f"| stopped, longest of 10 | {many['stop_s'] * 1e3:.0f} ms ({many['stop_s'] * 50 / many['loop_s']:.0f}) | ≤ 20 ms |",
        f"| 500 variants, each a rig of its own | {many['variants_s']:.2f} s ({many['variants_s'] * 0.05 / many['loop_s']:.2f}) | ≤ 1 s |",
        f"| 14 days at 1 s | {fortnight_s * 1e3:.0f} ms ({fortnight_s * 50 / many['loop_s']:.0f}), the program {fortnight_MB:.0f} MB | ≤ 300 ms, ≤ 400 MB |",
        "",
        "### Exact integration (plain conductances)",
        "",
        "Internal step against error and time: the longest step as a share of half the fastest time constant, the largest",
        "change of any temperature against a share of 1/8, over 11 000 s with the door. The quick rig has a 2 J/K heater",
        "(0.4 s) in place of 500 J/K. The share in use is 0.5.",
        "",
        "| share | cabinet, K | quick rig, K | quick rig, ms |",
        "|---|---|---|---|",
        *[f"| {share:g} | {one:.1e} | {two:.1e} | {ms:.1f} |" for share, one, two, ms in study],
        "",
        "### Adaptive integration (radiation, melting, fans, valves)",
        "",
        "Error allowed in a step against the largest change of any temperature against 1e-9 K, and time of the kernel call",
        f"(median of 9). In use: {TOLERANCE_K:g} K. Trials of 1 to 5 h; a PI without noise and steps of the probe, which would",
        "turn the smallest change into another reading.",
        "",
        "| rig | samples | " + " | ".join(f"{tolerance:g} K" for tolerance in nonlinear.TOLERANCES_K) + " |",
        "|---|---|" + "---|" * len(nonlinear.TOLERANCES_K),
        *[
            f"| {name} | {samples} | " + " | ".join(f"{error:.1e} K, {ms:.0f} ms" for error, ms, _ in rows) + " |"
            for name, samples, rows in adaptive
        ],
        "",
        "## Window",
        "",
        "A drag step, three candidates over 4 h, window 1280×800: from the mouse event to everything painted, that is the edit,",
        "three runs, all measures and marks, strip, cards, terms and foot. 100 steps, nothing from the cache, in four rounds",
        "spread over this run, each after a rest (the host withholds processor time for a while after minutes of computing);",
        "first what the plain loop above took right before and after, since the machine's speed changes.",
        "Stolen is the share of wanted processor time that the host gave to others; in brackets stands the processor time, over",
        "all threads, of the worst step.",
        "Bar: median 0.32 and worst 0.66 of what the plain loop takes (16 and 33 ms where that takes 50).",
        "",
        "| plain loop, ms | stolen | setpoint: median, ms | worst | door: median, ms | worst | bar |",
        "|---|---|---|---|---|---|---|",
        *[each.row() for each in drags],
        "",
        "From the command to a window with all results in it, caches warm: median "
        f"{statistics.median(each.ms for each in starts):.0f} ms, worst {max(starts).ms:.0f} ms",
        f"({max(starts).cpu_ms:.0f} of them computing) of 9 (bar 2000 ms). Idle: {idle * 100:.1f} % of one core (bar 1 %).",
        f"A frame of panning two traces of a million points, 1280×800: {panned:.0f} ms, median of 60 (bar 33 ms, 30 frames/s).",
        "",
        f"`./start demos` takes {with_start:.0f} ms, the program alone {alone:.0f} ms: `./start` adds {with_start - alone:.0f} ms (bar 1000 ms).",
        "",
    ]  # fmt: skip
    path = Path(__file__).with_name("RESULTS.md")
    before = path.read_text(encoding="utf-8") if path.exists() else ""
    _, head, control = before.partition("## Control\n")  # the last section; `benchmarks.control` measures it
    path.write_text("\n".join([*lines, head + control]), encoding="utf-8")
    print("\n".join(lines))


if __name__ == "__main__":
    main()
