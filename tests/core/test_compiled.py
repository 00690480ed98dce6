"""Compiled code: what it is given arrives, what is kept on disk is checked, numba stands in where anything fails."""

import os
import subprocess
import sys
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import NamedTuple

import numpy as np
import pytest

from kelvarn.engine import code_cache, compiled
from kelvarn.engine.compiled import Entry, part
from kelvarn.engine.records import Grid, Reals, Table, Tables, blanks, dtype_of, rows_of, table


@dataclass(slots=True)
class Thing:
    """A record with a field of each kind."""

    count: int
    weight_kg: float
    wanted: bool


class Shelf(NamedTuple):
    """What travels together."""

    things: Table[Thing]
    boxes: Tables[Thing]
    above: float


@part
def weight(thing: Thing) -> float:
    """What a thing weighs."""
    return thing.weight_kg * thing.count if thing.wanted else 0.0


def tally(values: Reals, shelf: Shelf, sign: int, out: Grid) -> int:
    """How many values lie above; written, too, with all the rest that was given."""
    count = 0
    for k in range(values.size):
        if values[k] > shelf.above:
            count += 1
    out[0, 0], out[0, 1] = count, weight(shelf.things[0]) + weight(shelf.things[1])
    shelf.boxes[1][0].weight_kg = sign
    return sign * count


VALUES = np.arange(5.0)


def shelf() -> Shelf:
    return Shelf(table(Thing, [Thing(3, 2.0, True), Thing(5, 1.0, False)]), blanks(Thing, 2, 3), 1.5)


def call(function: Callable[..., int]) -> tuple[int, list[float], float]:
    out, given = np.zeros((1, 2)), shelf()
    found = function(VALUES, given, -1, out)
    return found, out[0].tolist(), float(given.boxes[1][0].weight_kg)


EXPECTED = (-3, [3.0, 6.0], -1.0)


@pytest.fixture(scope="module")
def code(tmp_path_factory: pytest.TempPathFactory) -> bytes:
    """Its object code, compiled once for all of these."""
    return Entry(tally)._compile()


@pytest.fixture
def compilations(code: bytes, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> list[int]:
    """Let entries keep their code in `tmp_path`; one item for each time that one is asked to compile."""
    found: list[int] = []
    monkeypatch.setattr(compiled, "cache_folder", lambda _machine: tmp_path / "cache")
    monkeypatch.setattr(Entry, "_compile", lambda self: found.append(1) or code)
    return found


def test_an_entry_is_the_function_it_was_made_of(compilations: list[int]) -> None:
    assert call(tally) == EXPECTED  # plain Python, on the same tables
    assert call(Entry(tally)) == EXPECTED
    given, outs = shelf(), [np.zeros((1, 2)) for _ in range(3)]
    calls = [(VALUES[:k], given, 1, out) for k, out in zip((2, 4, 5), outs, strict=True)]
    assert Entry(tally).many(calls) == [0, 2, 3]
    assert [out[0, 0] for out in outs] == [0, 2, 3]


def test_what_is_compiled_is_kept(compilations: list[int], code: bytes, tmp_path: Path) -> None:
    for _ in range(3):
        assert call(Entry(tally)) == EXPECTED
    assert compilations == [1]
    (path,) = (tmp_path / "cache").iterdir()
    assert code_cache.read(path) == code


@pytest.mark.parametrize("harm", ["cut", "flipped", "empty", "no digest", "gone", "a folder"])
def test_a_spoilt_file_is_made_anew(compilations: list[int], tmp_path: Path, harm: str) -> None:
    Entry(tally).load()
    (path,) = (tmp_path / "cache").iterdir()
    whole = path.read_bytes()
    spoilt = {
        "cut": whole[:-100],
        "flipped": whole[:-1] + bytes([whole[-1] ^ 1]),
        "empty": b"",
        "no digest": whole[32:],
    }
    path.unlink()
    if harm == "a folder":
        path.mkdir()
    elif harm != "gone":
        path.write_bytes(spoilt[harm])
    assert code_cache.read(path) is None
    assert call(Entry(tally)) == EXPECTED
    assert compilations == [1, 1]


def test_folders_that_cannot_be_written_are_no_error(
    code: bytes, compilations: list[int], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    (tmp_path / "file").write_text("in the way")
    monkeypatch.setattr(compiled, "cache_folder", lambda _machine: tmp_path / "file" / "folder")
    assert call(Entry(tally)) == EXPECTED
    monkeypatch.setattr(compiled, "cache_folder", lambda _machine: Path("/dev/full"))
    assert call(Entry(tally)) == EXPECTED
    assert [path.name for path in tmp_path.iterdir()] == ["file"]


def test_a_full_disk_leaves_nothing_half_written(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    def full(*_: object) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(Path, "replace", full)
    code_cache.write(tmp_path / "code.o", b"code")
    assert list(tmp_path.iterdir()) == []


@pytest.mark.parametrize("fails", ["_compile", "_loaded", "cache_folder"])
def test_numba_stands_in_where_anything_fails(
    compilations: list[int], monkeypatch: pytest.MonkeyPatch, fails: str
) -> None:
    def broken(*_: object) -> None:
        raise RuntimeError("something private has changed")

    if fails == "_compile":
        monkeypatch.setattr(Entry, "_compile", broken)
    elif fails == "_loaded":
        monkeypatch.setattr(compiled, "_loaded", broken)
    else:
        monkeypatch.setattr(compiled, "cache_folder", broken)
    entry = Entry(tally)
    assert call(entry) == EXPECTED


def test_only_the_newest_of_other_versions_are_kept(tmp_path: Path) -> None:
    (tmp_path / "mine").mkdir()
    for age, name in enumerate(16 * letter for letter in "abcdef0"):
        (tmp_path / name).mkdir()
        (tmp_path / name / "code.o").write_bytes(b"code")
        os.utime(tmp_path / name, (1000 - age, 1000 - age))
    code_cache.forget_old(tmp_path / (16 * "f"), keep=3)
    assert sorted(path.name[0] for path in tmp_path.iterdir()) == ["a", "b", "c", "f", "m"]


@pytest.mark.parametrize(
    ("place", "bad"),
    [
        (0, VALUES.astype(np.float32)),
        (0, VALUES.astype(">f8")),
        (0, np.zeros((5, 1))),
        (0, np.arange(10.0)[::2]),
        (0, [1.0, 2.0]),
        (1, shelf()._replace(above="high")),
        (1, shelf()._replace(things=np.zeros(2))),
        (2, 1.5),
        (2, None),
        (3, np.zeros((2, 4))[:, ::2]),
    ],
)
def test_an_argument_that_does_not_fit_is_refused(compilations: list[int], place: int, bad: object) -> None:
    good = [VALUES, shelf(), 1, np.zeros((1, 2))]
    entry = Entry(tally)
    entry(*good)
    with pytest.raises((TypeError, ValueError)):
        entry(*good[:place], bad, *good[place + 1 :])
    with pytest.raises(TypeError, match="4 arguments are needed, not 3"):
        entry(*good[:-1])


def test_records_come_back_as_they_went_in() -> None:
    things = [Thing(1, 2.5, True), Thing(-7, 0.0, False)]
    assert rows_of(table(Thing, things), Thing) == things
    assert dtype_of(Thing).names == ("count", "weight_kg", "wanted")


PROGRAM = (
    "import sys; from kelvarn.demos.cure_cabinet import cure_cabinet\n"
    "from kelvarn.engine.run import compute, warm\n"
    "warm(); demo = cure_cabinet(); compute(demo.rig, demo.candidates[0].controller, demo.trials[0])\n"
    "print([name for name in ('numba', 'scipy') if name in sys.modules])"
)


def test_a_field_that_numpy_has_a_meaning_for_is_refused() -> None:
    with pytest.raises(TypeError, match="“size”"):
        dtype_of(dataclass(type("Bad", (), {"__annotations__": {"size": float}})))


def test_a_second_start_needs_no_compiler() -> None:
    subprocess.run([sys.executable, "-c", PROGRAM], check=True, capture_output=True)
    shown = subprocess.run([sys.executable, "-c", PROGRAM], check=True, capture_output=True, text=True)
    assert shown.stdout == "[]\n"


def test_a_controller_steps_without_a_compiler() -> None:
    program = (
        "import sys; from kelvarn.engine.on_trial import Stepper\n"
        "from kelvarn.model.candidate import Pid; from kelvarn.model.trial import Plan, SetpointChange\n"
        "law = Stepper(Pid(kp_per_K=0.1), Plan(changes=(SetpointChange(at_s=0, to_degC=60),)), 2.0)\n"
        "print(round(law.step(58.0).given, 6), [n for n in ('numba', 'llvmlite') if n in sys.modules])"
    )
    shown = subprocess.run([sys.executable, "-c", program], check=True, capture_output=True, text=True)
    assert shown.stdout == "0.2 []\n"
