"""The project file and the journal: round trips, hostile files, interrupted saves."""

import csv
import io
import json
import multiprocessing
import os
import random
import zipfile
from pathlib import Path
from typing import Any

import jsonschema
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kelvarn.demos import find_demo
from kelvarn.demos.cure_cabinet import cure_cabinet
from kelvarn.engine.run import compute
from kelvarn.files.faults import FileError
from kelvarn.files.journal import Journal, left_behind
from kelvarn.files.project_file import from_json, load, roundings, save, schema, to_json
from kelvarn.files.tables import plain_cell, write_trace
from kelvarn.files.writing import file_stems, safe_name
from kelvarn.model.edit import put, with_fields
from kelvarn.model.project import Project
from kelvarn.studies.results import Result, Results
from tests.conftest import again

DOCS = Path(__file__).parents[2] / "docs"


def raw() -> dict[str, Any]:
    made: dict[str, Any] = json.loads(to_json(cure_cabinet()))
    return made


def test_save_and_load_give_the_same_project(cabinet: Project, tmp_path: Path) -> None:
    path = tmp_path / "a b ü.kelvarn"
    save(cabinet, path)
    assert load(path) == cabinet
    first = path.read_bytes()
    save(cabinet, path)
    assert path.read_bytes() == first
    assert list(tmp_path.glob(".*")) == []


def test_published_schema_is_this_one_and_accepts_the_demo() -> None:
    published = json.loads((DOCS / "project.schema.json").read_text(encoding="utf-8"))
    assert published == json.loads(json.dumps(schema())), "run: kelvarn schema > docs/project.schema.json"
    jsonschema.Draft202012Validator(published).validate(raw())
    broken = raw()
    del broken["rig"]["drives"]
    assert list(jsonschema.Draft202012Validator(published).iter_errors(broken))


@pytest.mark.parametrize(
    ("change", "sentence"),
    [
        (lambda d: d["rig"].pop("bodies"), "rig: a rig needs at least one body"),
        (
            lambda d: d["rig"]["bodies"][1].update(capacity_J_per_K=-4),
            "rig.bodies[1] (“Air”).capacity_J_per_K: must be at least 0.01, not -4.",
        ),
        (
            lambda d: d["rig"]["bodies"][1].update(capacity_J_per_K=float("nan")),
            "rig.bodies[1] (“Air”).capacity_J_per_K: must be a finite number, not nan.",
        ),
        (lambda d: d["rig"]["bodies"].pop(1), "names the body “Air”, which does not exist."),
        (lambda d: d["rig"]["links"][0].update(b="Heater mat"), "joins “Heater mat” to itself"),
        (lambda d: d.update(colour="red"), "colour: is not known to this version"),
        (lambda d: d["trials"][0].update(duration_s=0), "cold night”).duration_s: must be at least 1"),
        (lambda d: d.update(format=2), "was written by a newer Kelvarn (format 2; this one reads up to 1)"),
        (lambda d: d.update(format="one"), "“format” must be a whole number"),
        (lambda d: d["candidates"][0]["controller"].update(law="magic"), "magic"),
        (lambda d: d["rig"]["drives"][0].update(kind="laser"), "kind must be one of 'relay', 'slow_window', "),
        (lambda d: d["rig"]["drives"][0].pop("kind"), "rig.drives[0] (“Mat”): kind is missing."),
        (lambda d: d["rig"]["probes"][0].update(role="boss"), "must be one of 'control', 'guard' or 'watch', not "),
        (lambda d: d["rig"]["drives"][0].update(power_W=True), "power_W: must be a number, not true."),
        (lambda d: d["rig"]["drives"][0].update(power_W="12 bananas"), "must be a number, not '12 bananas'."),
        (lambda d: d["rig"]["bodies"][0].update(name="a\nb"), "(“a�b”).name: may not hold line breaks"),
        (lambda d: d.update(chosen="a\x85b"), "chosen: may not hold line breaks"),
        (lambda d: d.update(candidates=None), "candidates: must be a list, not null."),
        (lambda d: d["rig"].update(bodies=[]), "rig: a rig needs at least one body"),
    ],
)  # fmt: skip
def test_each_fault_of_a_document_is_one_sentence(change: Any, sentence: str) -> None:
    document = raw()
    change(document)
    with pytest.raises(FileError) as caught:
        from_json(json.dumps(document), "x.kelvarn")
    lines = str(caught.value).splitlines()
    assert any(sentence in line for line in lines), lines
    assert all(line.startswith("x.kelvarn") for line in lines)


@pytest.mark.parametrize(
    "text",
    ["", "{", "[]", "null", '"x"', "{}", '{"format": 1, "format": 1}', "[" * 100_000, '{"format": true}', "\ufeff{}"],
)
def test_what_is_no_document_is_refused(text: str) -> None:
    with pytest.raises(FileError):
        from_json(text, "x.kelvarn")


def _zip(entries: dict[str, bytes], **more: Any) -> bytes:
    stream = io.BytesIO()
    with zipfile.ZipFile(stream, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, content in entries.items():
            archive.writestr(name, content, **more)
    return stream.getvalue()


@pytest.mark.parametrize(
    ("content", "part"),
    [
        (b"", "not a whole .kelvarn file"),
        (b"not a zip at all", "not a whole .kelvarn file"),
        (_zip({"readme.txt": b"x"}), "which no project has"),
        (_zip({"../project.json": b"{}"}), "which no project has"),
        (_zip({"/etc/project.json": b"{}"}), "which no project has"),
        (_zip({"logs/../../x.csv": b"x"}), "which no project has"),
        (_zip({"logs/a.csv": b"x"}), "holds no project.json"),
        (_zip({"project.json": b" " * 30_000_000}), "would unpack to 30,000,000 bytes"),
        (_zip({"project.json": b"\xff\xfe\x00"}), "not UTF-8 text"),
        (_zip({f"logs/{k}.csv": b"x" for k in range(1100)}), "holds 1100 entries"),
    ],
)
def test_hostile_zips_are_refused(content: bytes, part: str, tmp_path: Path) -> None:
    path = tmp_path / "x.kelvarn"
    path.write_bytes(content)
    with pytest.raises(FileError) as caught:
        load(path)
    assert part in str(caught.value)
    assert list(tmp_path.iterdir()) == [path]


def test_a_lying_size_in_the_zip_does_not_get_past_the_limit(tmp_path: Path) -> None:
    content = bytearray(_zip({"project.json": b" " * 20_000_000}))
    central = content.rfind(b"PK\x01\x02")
    content[central + 24 : central + 28] = (100).to_bytes(4, "little")
    path = tmp_path / "x.kelvarn"
    path.write_bytes(content)
    with pytest.raises(FileError):
        load(path)


@settings(max_examples=150, deadline=None)
@given(seed=st.integers(0, 2**32))
def test_a_damaged_file_gives_a_sentence_or_a_sound_project(
    seed: int, tmp_path_factory: pytest.TempPathFactory
) -> None:
    rng = random.Random(seed)
    content = bytearray(_zip({"project.json": to_json(cure_cabinet()).encode()}))
    for _ in range(rng.randint(1, 8)):
        content[rng.randrange(len(content))] = rng.randrange(256)
    if rng.random() < 0.4:
        del content[rng.randrange(len(content)) :]
    path = tmp_path_factory.getbasetemp() / f"damaged-{os.getpid()}.kelvarn"
    path.write_bytes(content)
    try:
        assert isinstance(load(path), Project)
    except FileError as error:
        assert str(error)


@settings(max_examples=100, deadline=None)
@given(st.data())
def test_a_document_with_any_value_replaced_gives_a_sentence_or_a_project(data: st.DataObject) -> None:
    document = raw()
    at: Any = document
    while True:
        key = data.draw(st.sampled_from(sorted(at) if isinstance(at, dict) else range(len(at))))
        if not isinstance(at[key], dict | list) or not at[key] or data.draw(st.booleans()):
            break
        at = at[key]
    junk = st.none() | st.booleans() | st.integers() | st.floats() | st.text(max_size=5) | st.just([]) | st.just({})
    at[key] = data.draw(junk)
    try:
        from_json(json.dumps(document), "x")
    except FileError as error:
        assert all(line.startswith("x") for line in str(error).splitlines())


def test_folders_missing_files_and_read_only_places(cabinet: Project, tmp_path: Path) -> None:
    os.mkfifo(tmp_path / "pipe")
    for path in (tmp_path, tmp_path / "none.kelvarn", Path("/dev/zero"), tmp_path / "pipe"):
        with pytest.raises(FileError, match=r"folder|No such file|ordinary file"):
            load(path)
    with pytest.raises(FileError, match="cannot be written"):
        save(cabinet, tmp_path / "no" / "such" / "x.kelvarn")


def test_a_full_disk_leaves_the_old_file_whole(
    cabinet: Project, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = tmp_path / "x.kelvarn"
    save(cabinet, path)
    before = path.read_bytes()

    def full(*_: object) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(os, "fsync", full)
    with pytest.raises(FileError, match="No space left on device"):
        save(put(cabinet, ("name",), "Other"), path)
    assert path.read_bytes() == before
    assert list(tmp_path.iterdir()) == [path]


def _save_for_ever(folder: str) -> None:
    project = cure_cabinet()
    count = 0
    while True:
        count += 1
        save(put(project, ("notes",), "x" * (count % 5000)), Path(folder) / "x.kelvarn")


@pytest.mark.long
def test_killed_while_saving_leaves_a_whole_file(cabinet: Project, tmp_path: Path) -> None:
    path = tmp_path / "x.kelvarn"
    save(cabinet, path)
    context = multiprocessing.get_context("spawn")
    for _ in range(3):
        before = path.stat().st_ino
        process = context.Process(target=_save_for_ever, args=(str(tmp_path),))
        process.start()
        while path.stat().st_ino == before:  # until it has replaced the file at least once
            assert process.is_alive()
        process.kill()
        process.join()
        assert load(path).rig in (cabinet.rig, cure_cabinet().rig)


def _leave_behind(folder: str, path: str) -> None:
    Journal(Path(folder)).keep(put(cure_cabinet(), ("notes",), "unsaved"), Path(path), None)


def test_the_journal_brings_back_what_a_dead_process_left(cabinet: Project, tmp_path: Path) -> None:
    folder = tmp_path / "journal"
    assert left_behind(folder) is None
    own = Journal(folder)
    own.keep(cabinet, None, None)
    assert left_behind(folder) is None  # its window lives
    process = multiprocessing.get_context("spawn").Process(target=_leave_behind, args=(str(folder), "/x/y.kelvarn"))
    process.start()
    process.join()
    # An entry of the first version, named by a process: its number may be somebody else's by now.
    (folder / f"{os.getpid()}-0.json").write_text("{damaged")
    found = left_behind(folder)
    assert found is not None
    assert (found.project.notes, str(found.path)) == ("unsaved", "/x/y.kelvarn")
    found.journal.clear()
    own.clear()
    assert [path.name for path in folder.iterdir() if path.suffix == ".json"] == [f"{os.getpid()}-0.json"]


def test_work_left_by_a_process_whose_number_lives_on_is_found(cabinet: Project, tmp_path: Path) -> None:
    content = {"path": "relative.kelvarn", "project": to_json(put(cabinet, ("notes",), "old"))}
    (tmp_path / f"{os.getpid()}-0.json").write_text(json.dumps(content))
    found = left_behind(tmp_path)
    assert found is not None
    assert found.project.notes == "old"
    assert found.path is None  # nobody knows any more where it was meant
    found.journal.let_go()


def test_what_a_killed_save_leaves_is_cleared_by_the_next_one(cabinet: Project, tmp_path: Path) -> None:
    path = tmp_path / "x.kelvarn"
    dead, alive = tmp_path / ".x.kelvarn.999999999.abc.part", tmp_path / f".x.kelvarn.{os.getppid()}.abc.part"
    other = tmp_path / ".y.kelvarn.999999999.abc.part"
    for each in (dead, alive, other):
        each.write_text("half")
    save(cabinet, path)
    assert sorted(tmp_path.iterdir()) == sorted([path, alive, other])


def test_links_modes_and_names_are_kept_or_said(cabinet: Project, tmp_path: Path) -> None:
    path = tmp_path / "x.kelvarn"
    save(cabinet, path)
    path.chmod(0o640)
    save(put(cabinet, ("notes",), "a"), path)
    assert path.stat().st_mode & 0o777 == 0o640
    path.chmod(0o444)
    before = path.read_bytes()
    with pytest.raises(FileError, match="marked read-only"):
        save(put(cabinet, ("notes",), "b"), path)
    path.chmod(0o644)
    os.link(path, tmp_path / "second")
    with pytest.raises(FileError, match="2 names"):
        save(put(cabinet, ("notes",), "b"), path)
    (tmp_path / "second").unlink()
    (tmp_path / "a").symlink_to(tmp_path / "b")
    (tmp_path / "b").symlink_to(tmp_path / "a")
    for what in (lambda: save(cabinet, tmp_path / "a"), lambda: load(tmp_path / "a")):
        with pytest.raises(FileError, match="symbolic links"):
            what()
    assert path.read_bytes() == before
    link = tmp_path / "link"
    link.symlink_to(path)
    save(put(cabinet, ("notes",), "c"), link)
    assert link.is_symlink()
    assert load(path).notes == "c"


def test_file_names_differ_and_fit() -> None:
    found = file_stems(["PID", "pid", "Night!", "night?", "漢" * 60, "漢" * 59 + "字", "..", "/"])
    assert len({stem.casefold() for stem in found.values()}) == 8
    assert all(len(stem.encode()) < 100 and "/" not in stem and not stem.startswith(".") for stem in found.values())
    assert found["PID"] == "pid"
    for name in ("../../x", "/etc/passwd", "..", "a\nb", "C:\\x", ".hidden", "漢" * 60, " "):
        made = safe_name(name)
        assert Path(made).name == made
        assert not made.startswith(".")
        assert len(f"{made}.kelvarn".encode()) < 255
    assert safe_name("Cure cabinet 2") == "Cure cabinet 2"


@pytest.mark.parametrize("name", ["=1+1", "+a", "-a", "@a", "\ta"])
def test_a_table_computes_nothing(name: str) -> None:
    assert plain_cell(f"{name}_degC") == f"'{name}_degC"
    assert plain_cell(f"a{name}") == f"a{name}"


FILES = Path(__file__).parents[1] / "files"


@pytest.mark.parametrize("path", sorted(FILES.glob("*/*.kelvarn")), ids=lambda path: f"{path.parent.name}-{path.stem}")
def test_files_of_landed_versions_open_and_give_the_same_runs(path: Path) -> None:
    """One of each demo as the version before a change of the format wrote it, with what it read off the runs."""
    project = load(path)
    expected = json.loads((path.parent / "measures.json").read_text("utf-8"))
    for key, result in Results().of_project(project, project.first_trial).items():
        assert isinstance(result, Result)
        known = expected[f"{path.stem}: {key.candidate}"]
        found = {**result.measures.main.values, **result.measures.values}
        for name in ("overshoot_K", "settling_s", "swing_K", "energy_J", "switch_ons_per_h", "travel"):
            assert found[name] == (None if known[name] is None else pytest.approx(known[name], rel=1e-6)), name
        assert result.measures.hottest_degC == pytest.approx(known["hottest_degC"], abs=1e-4)
        assert [verdict.met for verdict in result.verdicts] == known["met"]
    assert again(project) == project


def test_a_trace_has_each_drive_and_each_probe_in_its_own_column(tmp_path: Path) -> None:
    demo = find_demo("tempering-bowl").build()
    run = compute(demo.rig, demo.candidates[0].controller, demo.first_trial)
    write_trace(run, tmp_path / "x.csv")
    with (tmp_path / "x.csv").open() as stream:
        rows = list(csv.DictReader(stream))
    assert len(run.rig.drives) == 2
    assert (run.put_out[0] != run.put_out[1]).any()
    for k, drive in enumerate(run.rig.drives):
        assert [float(row[f"{drive.name}_put_out"]) for row in rows] == pytest.approx(run.put_out[k].tolist(), rel=1e-8)
        assert [float(row[f"{drive.name}_W"]) for row in rows] == pytest.approx(run.drives_W[k].tolist(), rel=1e-8)
    for k, probe in enumerate(run.rig.probes):
        read = [float(row[f"{probe.name}_reads_degC"]) for row in rows]
        assert read == pytest.approx(run.probes_degC[k].tolist(), rel=1e-8)


def test_an_interval_that_was_rounded_is_said(tmp_path: Path) -> None:
    path = tmp_path / "old.kelvarn"
    save(with_fields(cure_cabinet(), logs=()), path)
    assert roundings(path, load(path)) == ""
    with zipfile.ZipFile(path) as archive:
        found = json.loads(archive.read("project.json"))
    found["rig"]["probes"][0]["interval_s"] = 0.0333333
    with zipfile.ZipFile(path, "w") as archive:
        archive.writestr("project.json", json.dumps(found))
    project = load(path)
    assert project.rig.probe.interval_s == 0.033
    assert "is read every 0.033 s, no longer every 0.0333333 s" in roundings(path, project)
