"""Fractional scales: what has room at 100 % has room at every other; at 1280×800 nothing is cut."""

import json
import os
import subprocess
import sys
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[2]


def cut(size: str, scale: float, home: Path) -> set[str]:
    """What is cut in a window of a size, in pixels of the desktop, at a scale of it."""
    own = {"XDG_STATE_HOME": str(home), "XDG_CONFIG_HOME": str(home), "QT_SCALE_FACTOR": str(scale)}
    done = subprocess.run(
        [sys.executable, "-m", "tests.window.cut", *size.split("x")], cwd=ROOT, env=os.environ | own,
        capture_output=True, text=True, timeout=250, check=True,
    )  # fmt: skip
    ratio, found = json.loads(done.stdout)
    assert ratio == scale
    return set(found)


@pytest.mark.parametrize("size", ["1280x800", "1024x700"])
def test_what_has_room_at_one_scale_has_it_at_all(size: str, tmp_path: Path) -> None:
    plain = cut(size, 1.0, tmp_path)
    assert len(plain) <= {"1280x800": 0, "1024x700": 4}[size], plain
    for scale in (1.25, 1.5, 2.0):
        assert cut(size, scale, tmp_path) - plain == set(), scale
