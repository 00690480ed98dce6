"""Recordings: on disk each second, gone on with, made logs of; and others who look."""

import json
import os
import subprocess
import sys
import time
import urllib.error
import urllib.request
from datetime import datetime, timedelta
from pathlib import Path
from unittest import mock

import numpy as np
import pytest

from kelvarn.files.logs.reader import open_path, read_log
from kelvarn.link.lines import Sample
from kelvarn.link.recording import DeviceTime, Facts, Recorder, RecordingError, log_of_recording
from kelvarn.link.shared import SharedView

FACTS = Facts("Try, it", "PI", "1-2", ("probe_a",), ("out_b",), (("kp", "0.2"),))


def sample(seq: int, **of: object) -> Sample:
    made = Sample(seq, 1000 * seq, 20.0 + seq, 60.0, 0.5, 0.5, 25, 0, False, False, False, False, 0, False, False)
    made.probes_degC, made.outputs = {0: 20.0 + seq}, {0: 1.0}
    for name, value in of.items():
        setattr(made, name, value)
    return made


def test_a_recording_is_gone_on_with_after_it_broke_off_and_becomes_a_log(tmp_path: Path) -> None:
    path, at = tmp_path / "r.csv", datetime(2026, 11, 30, 12)
    recorder = Recorder(path, FACTS, now=lambda: at)
    for seq in range(5):
        recorder.add(sample(seq), float(seq))
    recorder.note("door, open", 2.5)
    recorder.close()
    with path.open("ab") as file:
        file.write(b"5.000,2026-11-30T12:00:05,60,2")  # it broke off here
    recorder = Recorder(path, FACTS, now=lambda: at + timedelta(seconds=60))
    assert (recorder.rows, recorder.begins_s) == (5, 64.0)
    recorder.add(sample(7), 1.0)
    recorder.close()
    log = log_of_recording(path, [])
    data = read_log(log)
    assert data.time_s.tolist() == [0, 1, 2, 3, 4, 65]
    assert data.measured_degC.tolist() == [20, 21, 22, 23, 24, 27]
    assert data.drive is not None
    assert set(data.drive.tolist()) == {0.5}
    assert [(note.at_s, note.text) for note in log.moments] == [(2.5, "door; open")]
    assert read_log(open_path(path).log).measured_degC.size == 6  # the file itself can be read as well
    other = Facts("x", "y", "z", ("a", "b"), ())
    with pytest.raises(RecordingError, match="no recording of this device"):
        Recorder(path, other)
    with pytest.raises(RecordingError, match="cannot be written"):
        Recorder(tmp_path / "no" / "r.csv", FACTS)


def test_a_full_disk_loses_nothing_that_memory_holds(tmp_path: Path) -> None:
    now = [0.0]
    recorder = Recorder(tmp_path / "r.csv", FACTS, clock=lambda: now[0])
    with mock.patch("kelvarn.link.recording.os.fsync", side_effect=OSError(28, "No space left on device")):
        for seq in range(20):
            now[0] += 0.5
            recorder.add(sample(seq), float(seq))
        assert "takes no more rows: No space left" in recorder.trouble
    now[0] += 5.0
    recorder.add(sample(20), 20.0)
    assert recorder.trouble == ""
    recorder.close()
    assert read_log(log_of_recording(tmp_path / "r.csv", [])).measured_degC.tolist() == [20.0 + k for k in range(21)]


def test_time_goes_on_when_the_clock_of_a_device_wraps_or_begins_anew() -> None:
    times = DeviceTime()
    wraps = (1 << 32) - 500
    found = [times.of(sample(0, t_ms=t, at_s=at)) for t, at in
             ((wraps, 0.0), (500, 1.0), (1500, 2.0), (200, 30.0), (1200, 31.0))]  # fmt: skip
    assert found == pytest.approx([0.0, 1.0, 2.0, 30.0, 31.0])


def test_a_recorder_that_is_killed_has_all_but_its_last_second(tmp_path: Path) -> None:
    code = (
        "import sys, time; from pathlib import Path; from tests.core.test_recording import FACTS, sample\n"
        "from kelvarn.link.recording import Recorder\n"
        "r = Recorder(Path(sys.argv[1]), FACTS); k = 0\n"
        "while True:\n    r.add(sample(k), k / 100); k += 1; print(k, flush=True); time.sleep(0.01)\n"
    )
    env = {**os.environ, "PYTHONPATH": os.pathsep.join([str(Path.cwd()), *sys.path])}
    process = subprocess.Popen([sys.executable, "-c", code, str(tmp_path / "r.csv")], stdout=subprocess.PIPE, env=env)
    assert process.stdout is not None
    for _ in range(250):
        count = int(process.stdout.readline())
    process.kill()
    process.wait()
    process.stdout.close()
    recorder = Recorder(tmp_path / "r.csv", FACTS)
    assert recorder.rows >= count - 130
    recorder.close()
    times = read_log(log_of_recording(tmp_path / "r.csv", [])).time_s
    assert np.allclose(np.diff(times), 0.01)


def test_others_may_look_with_the_token_and_do_nothing_else() -> None:
    view = SharedView("PI <b>", time.monotonic, 0, host="127.0.0.1")
    view.add(sample(3, at_s=time.monotonic()), 3.0)
    base = f"http://127.0.0.1:{view.port}"

    def get(path: str) -> str:
        with urllib.request.urlopen(f"{base}/{path}", timeout=60) as answer:
            return str(answer.read().decode())

    assert "PI &lt;b>" in get(f"{view.token}/")
    assert json.loads(get(f"{view.token}/now"))["measured_degC"] == 23.0
    assert get(f"{view.token}/rows?from=0").splitlines()[1].startswith("0,3.000,60,23,0.5")
    assert len(get(f"{view.token}/rows?from=1").splitlines()) == 1
    for path in ("", "x/now", f"{view.token}x/now", f"{view.token}/set", "../etc/passwd"):
        with pytest.raises(urllib.error.HTTPError, match="404"):
            get(path)
    for method in ("POST", "PUT", "DELETE"):
        with pytest.raises(urllib.error.HTTPError, match="501"):
            urllib.request.urlopen(urllib.request.Request(f"{base}/{view.token}/now", b"x", method=method), timeout=60)
    view.close()
