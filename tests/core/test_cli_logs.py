"""The commands `read`, `fit` and `compare`, as they are typed."""

import json
from pathlib import Path

import pytest

from kelvarn.demos import find_demo
from kelvarn.files.project_file import save
from kelvarn.fit.reuse import use_rig
from kelvarn.fit.rig_fit import fit_rig

from .commands import kelvarn
from .made_logs import of, step_log

BAD = Path(__file__).parents[1] / "files" / "bad_logs"
SAYS = {
    "no-time": "no time column",
    "two-rows": "needs at least 8",
    "one-value": "the temperature stays at",
    "drive-never-moves": "the drive stays at 45 %",
    "no-drive": "does not say what the drive did",
    "mixed-delimiters": "several delimiters",
    "header-only": "no rows of values",
    "words-only": "no numbers",
    "not-a-number": "no column of temperatures",
    "shorter-than-dead-time": "does not answer the drive",
    "decimal-commas": "commas",
    "binary": "no text",
}
WARNS = {
    "kelvin-called-celsius": "usual in kelvin",
    "begins-anew": "another start of the board",
    "too-short": "the gain is a guess",
}


@pytest.fixture(scope="module")
def logs(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A step, another one to check on, and the demo cabinet with its logs as files."""
    folder = tmp_path_factory.mktemp("logs")
    for name, seed in (("step", 1), ("check", 2)):
        data = step_log(seed)
        assert data.drive is not None
        rows = zip(data.time_s, data.measured_degC, data.drive, strict=True)
        lines = [f"{t:.1f},{y:.4f},{100 * u:.0f}" for t, y, u in rows]
        (folder / f"{name}.csv").write_text("\n".join(["time_s,air_C,duty_%", *lines]))
    project = find_demo("cure-cabinet").build()
    for log in project.logs:
        (folder / log.file).write_bytes(log.raw)
    save(project, folder / "cabinet.kelvarn")
    return folder


def test_every_bad_log_is_refused_with_a_sentence_or_warned_about() -> None:
    assert {path.stem for path in BAD.iterdir()} == set(SAYS) | set(WARNS)


@pytest.mark.parametrize("name", sorted(SAYS))
def test_bad_log_is_refused(name: str) -> None:
    made = kelvarn("fit", BAD / f"{name}.csv")
    assert made.returncode == 2
    assert made.stdout == ""
    assert SAYS[name] in made.stderr
    assert "Traceback" not in made.stderr
    assert len(made.stderr.splitlines()) <= 2


@pytest.mark.parametrize("name", sorted(WARNS))
def test_bad_log_is_warned_about(name: str) -> None:
    made = kelvarn("fit", BAD / f"{name}.csv")
    assert made.returncode == 0
    assert WARNS[name] in made.stdout + made.stderr


def test_fit_prints_the_keys_that_programs_read(logs: Path) -> None:
    made = kelvarn("fit", logs / "step.csv", "--validate", logs / "check.csv", "--json")
    assert made.returncode == 0
    assert made.stderr == ""
    found = json.loads(made.stdout)
    assert found["model"] == "one_lag"
    assert found["gain_K"] == pytest.approx(100, rel=0.02)
    assert found["lag_s"] == pytest.approx(900, rel=0.03)
    assert found["lag2_s"] is None
    assert found["dead_time_s"] == pytest.approx(30, abs=1.5)
    assert found["rest_degC"] == pytest.approx(19, abs=0.1)
    low, high = found["ci95"]["lag_s"]
    assert low < found["lag_s"] < high
    assert found["explained"] > 0.99
    assert found["warnings"] == []
    assert found["validation"][0]["rms_K"] < 0.13
    assert found["seen"] == pytest.approx(0.9, abs=0.01)


def test_fit_takes_columns_model_and_interval_as_told(logs: Path) -> None:
    made = kelvarn("fit", logs / "step.csv", "--temperature", "air_C", "--drive", 3, "--model", "two_lags", "--robust")
    assert made.returncode == 0
    assert made.stdout.startswith("Two lags: gain")
    assert "how far to trust it" in made.stdout
    bare = "\n".join(row.split(",", 1)[1] for row in (logs / "step.csv").read_text().splitlines())
    (logs / "bare.csv").write_text(bare)
    every = kelvarn("fit", logs / "bare.csv", "--time", "2 s", "--json")
    assert json.loads(every.stdout)["lag_s"] == pytest.approx(900, rel=0.03)
    for wrong in (("--model", "five_lags"), ("--drive", "nothing"), ("--model", "gone.kelvarn"), ("--time", "soon")):
        refused = kelvarn("fit", logs / "step.csv", *wrong)
        assert refused.returncode == 2
        assert len(refused.stderr.splitlines()) == 1


def test_the_rig_itself_is_fitted_and_what_changed_is_named(logs: Path) -> None:
    made = kelvarn("fit", logs / "cabinet-warm.csv", "--model", logs / "cabinet.kelvarn", "--json")
    found = json.loads(made.stdout)
    assert found["rms_K"] < 0.2
    assert set(found["ci95"]) == set(found["values"])
    project = find_demo("cure-cabinet").build()
    rig = use_rig(project, fit_rig(project.rig, [of(step_log(1))]))
    save(rig, logs / "other.kelvarn")  # any rig that is not this one
    told = kelvarn("compare", logs / "other.kelvarn", logs / "cabinet-three-weeks-later.csv", "--json")
    assert told.returncode == 0
    changed = json.loads(told.stdout)
    assert {"verdict", "changes", "energy_J", "expected_rms_K", "explained_rms_K"} <= set(changed)
    assert changed["explained_rms_K"] <= changed["expected_rms_K"]


def test_read_says_what_each_column_is_and_why(logs: Path) -> None:
    text = kelvarn("read", logs / "cabinet-cold.csv").stdout
    assert "semicolons between fields, decimal comma" in text
    assert "1 ms: time, milliseconds:" in text
    assert "in doubt:" in text
    assert "3,601 rows" in text or "3601 rows" in text
    found = json.loads(kelvarn("read", logs / "cabinet-cold.csv", "--json").stdout)
    assert [column["role"] for column in found["columns"]] == ["time", "temperature", "surroundings", "drive", "note"]
    assert all(column["why"] for column in found["columns"])
    assert found["rows_skipped"] == 1
    bad = kelvarn("read", BAD / "no-time.csv", "--json")
    assert "time column" in json.loads(bad.stdout)["error"]
    assert kelvarn("read", logs / "nothing.csv").returncode == 2
