"""Object code on disk: kept, checked, loaded and called without the compiler."""

import ast
import os
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest

from kelvarn.engine import codes, jit, native
from kelvarn.engine.jit import Compiled

RAMP = np.arange(5.0)
SIGNATURE = "d1r d q ? I d2 -> q"


def tally(values, above, sign, both, color, out):  # type: ignore[no-untyped-def]
    """How many values lie above; written, too, with all the rest that was given."""
    count = 0
    for k in range(values.size):
        if values[k] > above:
            count += 1
    out[0, 0], out[0, 1] = count, color
    out[1, 0], out[1, 1] = sign, 1.0 if both else 0.0
    return sign * count


@pytest.fixture(scope="module")
def code(tmp_path_factory: pytest.TempPathFactory) -> bytes:
    """It, compiled once for all of these."""
    folder = tmp_path_factory.mktemp("cache") / "compiled"
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(jit, "cache_folder", lambda: folder)
        return Compiled(tally, SIGNATURE)._compile()


def keeping(code: bytes, folder: Path, monkeypatch: pytest.MonkeyPatch) -> list[int]:
    """Let `Compiled` keep its code in a folder; one entry for each time it is asked to compile."""
    compiled: list[int] = []
    monkeypatch.setattr(jit, "cache_folder", lambda: folder)
    monkeypatch.setattr(Compiled, "_compile", lambda self: compiled.append(1) or code)
    return compiled


def count(function: Compiled) -> tuple[int, list[float]]:
    """What it gives for the ramp, and what it wrote."""
    out = np.zeros((2, 2))
    return function(RAMP, 1.5, -1, True, 4_000_000_000, out), out.ravel().tolist()


def test_every_kind_of_argument_arrives(code: bytes) -> None:
    out = np.zeros((2, 2))
    assert native.Function(code, SIGNATURE)(RAMP, 1.5, -1, True, 4_000_000_000, out) == -3
    assert out.tolist() == [[3, 4e9], [-1, 1]]


def test_what_is_compiled_is_kept(code: bytes, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    compiled = keeping(code, tmp_path, monkeypatch)
    for _ in range(3):
        assert count(Compiled(tally, SIGNATURE)) == (-3, [3, 4e9, -1, 1])
    assert compiled == [1]
    (path,) = tmp_path.iterdir()
    assert native.read(path) == code


@pytest.mark.parametrize("harm", ["cut", "changed", "empty", "no digest", "gone"])
def test_a_spoilt_file_is_made_anew(code: bytes, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, harm: str) -> None:
    compiled = keeping(code, tmp_path, monkeypatch)
    Compiled(tally, SIGNATURE).load()
    (path,) = tmp_path.iterdir()
    whole = path.read_bytes()
    spoilt = {
        "cut": whole[:-100],
        "changed": whole[:-1] + bytes([whole[-1] ^ 1]),
        "empty": b"",
        "no digest": whole[32:],
    }
    path.unlink()
    if harm != "gone":
        path.write_bytes(spoilt[harm])
    assert native.read(path) is None
    assert count(Compiled(tally, SIGNATURE))[0] == -3
    assert compiled == [1, 1]
    assert native.read(path) == code


def test_a_folder_that_cannot_be_written_is_no_error(
    code: bytes, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    blocked = tmp_path / "file"
    blocked.write_text("in the way")
    compiled = keeping(code, blocked / "folder", monkeypatch)
    assert count(Compiled(tally, SIGNATURE))[0] == -3
    assert compiled == [1]
    assert [path.name for path in tmp_path.iterdir()] == ["file"]


def test_writing_replaces_a_whole_file(tmp_path: Path) -> None:
    for code in (b"\x7fELF\n\x00\n", b"other"):
        native.write(tmp_path / "code.o", code)
        assert native.read(tmp_path / "code.o") == code
    assert [path.name for path in tmp_path.iterdir()] == ["code.o"]


def test_only_the_newest_of_other_versions_are_kept(tmp_path: Path) -> None:
    (tmp_path / "mine").mkdir()
    for age, name in enumerate(16 * letter for letter in "abcdef0"):
        (tmp_path / name).mkdir()
        (tmp_path / name / "code.o").write_bytes(b"code")
        os.utime(tmp_path / name, (1000 - age, 1000 - age))
    jit.forget_old(tmp_path / (16 * "f"), keep=3)
    assert sorted(path.name[0] for path in tmp_path.iterdir()) == ["a", "b", "c", "f", "m"]


@pytest.mark.parametrize(
    ("place", "bad"),
    [
        (0, RAMP.astype(np.float32)),
        (0, RAMP.astype(">f8")),
        (0, np.arange(5)),
        (0, np.zeros((5, 1))),
        (0, np.arange(10.0)[::2]),
        (0, [1.0, 2.0]),
        (1, "soon"),
        (1, None),
        (2, 1.5),
        (5, np.zeros((2, 4))[:, ::2]),
        (5, np.broadcast_to(RAMP[:2], (2, 2))),
    ],
)
def test_an_argument_that_does_not_fit_is_refused(code: bytes, place: int, bad: object) -> None:
    good = [RAMP, 0.0, 1, False, 0, np.zeros((2, 2))]
    call = native.Function(code, SIGNATURE)
    call(*good)
    with pytest.raises(TypeError):
        call(*good[:place], bad, *good[place + 1 :])
    with pytest.raises(TypeError, match="6 arguments are needed, not 5"):
        call(*good[:-1])


def test_a_read_only_array_may_be_read(code: bytes) -> None:
    locked = RAMP.copy()
    locked.flags.writeable = False
    assert native.Function(code, SIGNATURE)(locked, 0.0, 1, False, 0, np.zeros((2, 2))) == 4


def test_zeros_out_of_one_piece_are_arrays_of_their_own(code: bytes) -> None:
    zeros = native.zeros(native.plan(("d2", "q3", "d2"), ((2, 2), (2, 0, 3), (2, 2))))
    first, empty, second = zeros.parts[:3], zeros.parts[3:7], zeros.parts[7:]
    assert (first[1:], empty[1:], second[1:]) == ([2, 2], [2, 0, 3], [2, 2])
    assert [part[0] % 64 for part in (first, empty, second)] == [0, 0, 0]
    begin = zeros.memory.ctypes.data
    end = begin + zeros.memory.size
    assert begin <= first[0] < first[0] + 32 <= second[0] < second[0] + 32 <= end
    call = native.Function(code, SIGNATURE)
    for part, above in ((first, 0.0), (second, 2.0)):
        call(RAMP, above, 1, False, 7, native.Handed(("d2",), part, zeros.memory))
    held = [np.frombuffer(zeros.memory, offset=part[0] - begin, count=4) for part in (first, second)]
    assert [values.tolist() for values in held] == [[4, 7, 1, 0], [2, 7, 1, 0]]


def test_arguments_are_handed_over_in_rows(code: bytes) -> None:
    call, out = native.Function(code, SIGNATURE), np.zeros((2, 2))
    row = native.hand((RAMP, 1.5), ("d1r", "d"))
    rest = native.hand((-1, True, 9, out), ("q", "?", "I", "d2"))
    assert call(row, rest) == call(RAMP, 1.5, rest) == call(row, -1, True, 9, out) == -3
    for wrong in ((rest, row), (row, row), (row,), (row, rest, 1), (row, -1, True, 9, row)):
        with pytest.raises(TypeError):
            call(*wrong)
    with pytest.raises(TypeError, match="an array d2 in C order is needed"):
        native.hand((RAMP,), ("d2",))


def test_a_second_start_needs_no_compiler() -> None:
    program = (
        "import sys; from kelvarn.demos.cure_cabinet import cure_cabinet\n"
        "from kelvarn.engine.run import compute, warm\n"
        "warm(); demo = cure_cabinet(); compute(demo.rig, demo.candidates[0].controller, demo.trials[0])\n"
        "print([name for name in ('numba', 'scipy') if name in sys.modules])"
    )
    subprocess.run([sys.executable, "-c", program], check=True, capture_output=True)
    shown = subprocess.run([sys.executable, "-c", program], check=True, capture_output=True, text=True)
    assert shown.stdout == "[]\n"


def test_no_slot_has_the_name_of_another() -> None:
    """A table written by one number and read by another would go wrong in silence."""
    tree = ast.parse(Path(codes.__file__).read_text())
    names = [name.id for name in ast.walk(tree) if isinstance(name, ast.Name) and isinstance(name.ctx, ast.Store)]
    assert sorted(names) == sorted(set(names))
