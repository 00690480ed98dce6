"""Writes these pages from those of the program, and the logs that go with them: `python docs/guide/make.py`.

With `logs` it makes the logs anew: an oven of 160 K at full drive, 15 min, 45 s, with noise and steps of its converter.
"""

import os
import sys
from collections.abc import Callable
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import numpy as np
from PySide6.QtWidgets import QApplication

from kelvarn.demos import DEMOS
from kelvarn.desktop.frame.guide.keys import keys_table
from kelvarn.desktop.frame.window import MainWindow
from kelvarn.desktop.state.document import Document
from kelvarn.desktop.state.runner import Runner
from kelvarn.guide.pages import KEYS, LOGS, page, source

HERE = Path(__file__).parent
PAGES = HERE.parents[1] / "src" / "kelvarn" / "guide" / "pages"


def log(drive: Callable[[float], float], end_s: int, seed: int) -> str:
    """Rows of a log, every 5 s."""
    gain_K, lag_s, dead_s, rest = 160.0, 900.0, 45.0, 21.0
    noise, temperature, rows = np.random.default_rng(seed), rest, ["time_s,temperature_C,heater_pct"]
    for second in range(end_s + 1):
        if second % 5 == 0:
            shown = round((temperature + noise.normal(0, 0.08)) / 0.0625) * 0.0625
            rows.append(f"{second},{shown:.2f},{100 * drive(second):.0f}")
        temperature += (rest + gain_K * drive(second - dead_s) - temperature) / lag_s
    return "\n".join(rows) + "\n"


def main() -> None:
    """Write all."""
    if "logs" in sys.argv:
        (PAGES / LOGS[0]).write_text(log(lambda t: 0.6 if t >= 300 else 0.0, 5400, 1))
        (PAGES / LOGS[1]).write_text(log(lambda t: 0.4 if 240 <= t < 3000 else 0.0, 6000, 2))
    app = QApplication.instance() or QApplication([])
    window = MainWindow(Document(DEMOS[0].build()), Runner())
    keys = keys_table(window.menus)
    for key in KEYS:
        (HERE / f"{key}.md").write_text(page(key, keys).text, encoding="utf-8")
    for name in LOGS:
        (HERE / name).write_bytes(source(name))
    window.close()
    del app


if __name__ == "__main__":
    main()
