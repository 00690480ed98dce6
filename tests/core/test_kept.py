"""Nothing that was saved or kept is lost: limits, journals with logs, files that are there already."""

import json
import os
from pathlib import Path

import numpy as np
import pytest

from kelvarn.demos import find_demo
from kelvarn.files.faults import FileError
from kelvarn.files.journal import Journal, left_behind
from kelvarn.files.project_file import from_json, load, save, to_json
from kelvarn.files.writing import write_bytes
from kelvarn.model.edit import put
from kelvarn.model.log import Log, LogReading
from kelvarn.model.project import Project

from .commands import kelvarn


def log(name: str, raw: bytes) -> Log:
    return Log(name=name, file=f"{name}.csv", reading=LogReading(), raw=raw)


def with_log(project: Project, raw: bytes) -> Project:
    return project.model_copy(update={"logs": (log("Recorded", raw),)})


def test_what_is_saved_opens_however_well_or_badly_its_logs_pack(cabinet: Project, tmp_path: Path) -> None:
    idle = b"0,21.00,0\n" * 400_000
    noisy = np.random.default_rng(0).integers(0, 256, 3_000_000, np.uint8).tobytes()
    for name, raw in (("idle", idle), ("noisy", noisy)):
        path = tmp_path / f"{name}.kelvarn"
        save(with_log(cabinet, raw), path)
        assert load(path).logs[0].raw == raw


def test_a_document_that_could_not_be_opened_again_is_not_saved(
    cabinet: Project, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = tmp_path / "x.kelvarn"
    save(cabinet, path)
    before = path.read_bytes()
    monkeypatch.setattr("kelvarn.files.project_file.MOST_UNPACKED", 20_000)
    with pytest.raises(FileError, match="can be opened again"):
        save(put(cabinet, ("notes",), "x" * 19_000), path)
    assert path.read_bytes() == before


def test_a_key_twice_among_many_is_found_within_the_time_of_a_test() -> None:
    keys = ",".join(f'"k{k}":0' for k in range(200_000))
    with pytest.raises(FileError, match="twice in one place"):
        from_json(f'{{{keys},"k199999":1}}', "x")


@pytest.mark.parametrize("name", ["x" * 252, "ü" * 130, "zero\0byte", "no/such/folder/x"])
def test_places_that_cannot_be_written_are_refused_with_a_sentence(cabinet: Project, tmp_path: Path, name: str) -> None:
    with pytest.raises(FileError, match="cannot be written"):
        save(cabinet, tmp_path / f"{name}.kelvarn")
    with pytest.raises(FileError, match="cannot be written"):
        write_bytes(tmp_path / f"{name}.pdf", b"%PDF")


def kept(project: Project, folder: Path, path: Path | None = None) -> Path:
    """An entry as a crash leaves it."""
    journal = Journal(folder)
    journal.keep(project, path, None)
    journal.let_go()
    return journal.entry


def test_a_log_missing_from_the_journal_is_that_of_the_file_or_named(cabinet: Project, tmp_path: Path) -> None:
    saved, folder = tmp_path / "x.kelvarn", tmp_path / "journal"
    project = with_log(cabinet, b"t,T\n0,20\n1,21\n")
    save(project, saved)
    for path, lost in ((saved, ()), (tmp_path / "gone.kelvarn", ("Recorded",)), (None, ("Recorded",))):
        entry = kept(put(project, ("notes",), "unsaved"), folder, path)
        for found in folder.glob("*.log"):
            found.unlink()
        unsaved = left_behind(folder)
        assert unsaved is not None
        assert unsaved.lost == lost
        assert [each.raw for each in unsaved.project.logs] == ([] if lost else [project.logs[0].raw])
        assert unsaved.project.notes == "unsaved"
        assert unsaved.journal.entry == entry
        unsaved.journal.clear()
    assert load(saved).logs[0].raw == project.logs[0].raw


def test_a_log_that_was_cut_short_is_not_taken_for_the_whole(cabinet: Project, tmp_path: Path) -> None:
    kept(with_log(cabinet, b"0,20\n1,21\n"), tmp_path)
    [path] = tmp_path.glob("*.log")
    path.write_bytes(b"0,2")
    unsaved = left_behind(tmp_path)
    assert unsaved is not None
    assert unsaved.lost == ("Recorded",)
    unsaved.journal.clear()


def test_what_an_end_before_the_first_entry_leaves_is_cleared(cabinet: Project, tmp_path: Path) -> None:
    gone, alive = Journal(tmp_path), Journal(tmp_path)
    for each in (gone, alive):
        each.keep(with_log(cabinet, b"0,20\n"), None, None)
        each.entry.unlink()
    (tmp_path / f".{gone.entry.name}.99999999.x.part").write_text("half an entry")
    gone._lock = os.close(gone._lock)  # type: ignore[arg-type,func-returns-value]
    assert left_behind(tmp_path) is None
    assert {path.name.partition(".")[0] for path in tmp_path.iterdir()} == {alive.entry.stem}
    alive.clear()
    assert list(tmp_path.iterdir()) == []


def test_an_entry_that_cannot_be_read_hides_none_beside_it(cabinet: Project, tmp_path: Path) -> None:
    kept(put(cabinet, ("notes",), "good"), tmp_path)
    (tmp_path / "a.json").symlink_to(tmp_path / "nowhere")
    (tmp_path / "b.json").mkdir()
    for k, content in enumerate(("[1]", '{"project": 5, "path": null}', '{"project": null}', "3", '"x"')):
        (tmp_path / f"c{k}.json").write_text(content)
    (tmp_path / "d.json").write_text(json.dumps({"project": to_json(cabinet), "path": None, "logs": 5}))
    found = left_behind(tmp_path)
    assert found is not None
    assert found.project.notes == "good"
    found.journal.clear()


def test_a_command_never_writes_over_its_input_or_what_is_there(tmp_path: Path) -> None:
    demo = find_demo("tempering-bowl").build()
    own = tmp_path / "own.kelvarn"
    save(demo, own)
    before = own.read_bytes()
    axes = ("--candidate", demo.candidates[-1].name, "--x", "kp_per_K", "--y", "ti_s", "--measure", "overshoot_K")
    precious = tmp_path / "precious.png"
    precious.write_bytes(b"precious")
    report = tmp_path / "report.html"
    report.write_bytes(b"precious")
    for arguments, says in (
        (("map", str(own), *axes, "--out", str(own)), "end in .png"),
        (("map", str(own), *axes, "--out", str(precious)), "--force"),
        (("report", str(own), "--out", str(own)), "end in .html or .pdf"),
        (("report", str(own), "--out", str(report)), "--force"),
    ):
        done = kelvarn(*arguments)
        assert done.returncode == 2
        assert says in done.stderr
    wrong = kelvarn("map", str(own), *axes[:-1], "overshot")
    assert wrong.returncode == 2
    (tmp_path / "tempering-bowl.kelvarn").write_bytes(before[:-10])
    edited = tmp_path / f"{'-'.join(demo.name.lower().split())}.kelvarn"
    save(put(demo, ("notes",), "edited by hand"), edited)
    done = kelvarn("demo", "tempering-bowl", "--out", str(tmp_path))
    assert (done.returncode, "is not the demo" in done.stderr) == (2, True), done.stderr
    assert load(edited).notes == "edited by hand"
    assert (own.read_bytes(), precious.read_bytes(), report.read_bytes()) == (before, b"precious", b"precious")
