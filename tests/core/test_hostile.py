"""Files and arguments made to do harm: nothing runs away, nothing reaches the terminal, every fault is a sentence."""

import json
import lzma
import resource
import signal
import subprocess
import sys
import time
import zipfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import jsonschema
import pytest

from kelvarn.demos.cure_cabinet import cure_cabinet
from kelvarn.files.faults import FileError
from kelvarn.files.project_file import from_json, load, save, schema, to_json
from kelvarn.model.edit import put, with_fields
from kelvarn.model.project import Project
from kelvarn.studies.results import Result, Results
from tests.conftest import again, two_candidates

from .commands import kelvarn, kelvarn_apart

CONTROLS = set(range(32)) - {9, 10} | set(range(127, 160))


def raw() -> dict[str, Any]:
    made: dict[str, Any] = json.loads(to_json(cure_cabinet()))
    return made


def fault_of(text: str | bytes) -> str:
    with pytest.raises(FileError) as caught:
        from_json(text, "x")
    return str(caught.value)


@pytest.mark.parametrize("packing", [zipfile.ZIP_BZIP2, zipfile.ZIP_LZMA])
def test_only_what_is_stored_or_deflated_is_unpacked(tmp_path: Path, packing: int) -> None:
    path = tmp_path / "x.kelvarn"
    with zipfile.ZipFile(path, "w", packing) as archive:
        archive.writestr("project.json", to_json(cure_cabinet()))
    with pytest.raises(FileError, match="packed in a way"):
        load(path)


def test_what_claims_to_need_a_gigabyte_does_not_get_it(tmp_path: Path) -> None:
    path = tmp_path / "x.kelvarn"
    with zipfile.ZipFile(path, "w", zipfile.ZIP_LZMA) as archive:
        archive.writestr("project.json", b" " * 1000)
    content = bytearray(path.read_bytes())
    at = content.index(b"project.json") + len("project.json") + 4
    filters = lzma._encode_filter_properties({"id": lzma.FILTER_LZMA1, "dict_size": 2**30})  # type: ignore[attr-defined]
    content[at : at + len(filters)] = filters
    path.write_bytes(content)
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    with pytest.raises(FileError):
        load(path)
    assert resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before < 100_000  # kB


def test_what_unpacks_to_far_more_than_its_size_is_refused(tmp_path: Path) -> None:
    path = tmp_path / "x.kelvarn"
    text = to_json(put(cure_cabinet(), ("notes",), "")) + " " * 17_000_000
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED, compresslevel=9) as archive:
        archive.writestr("project.json", text)
    with pytest.raises(FileError, match="unpack"):
        load(path)
    # Headers that lie do not get past it either.
    content = bytearray(path.read_bytes())
    central = content.rfind(b"PK\x01\x02")
    content[central + 24 : central + 28] = (100_000).to_bytes(4, "little")
    path.write_bytes(content)
    with pytest.raises(FileError, match="is not a whole"):
        load(path)
    content = bytearray(path.read_bytes())
    central = content.rfind(b"PK\x01\x02")
    content[central + 24 : central + 28] = (200).to_bytes(4, "little")
    path.write_bytes(content)
    with pytest.raises(FileError):
        load(path)


@pytest.mark.parametrize(
    ("change", "sentence"),
    [
        (
            lambda d: d["candidates"][0].update(hidden="yes"),
            "candidates[0] (“On/off ±1”).hidden: must be true or false",
        ),
        (lambda d: d["candidates"][0].update(hidden=1), "hidden: must be true or false, not 1."),
        (lambda d: d["candidates"][0].update(name=""), "name: needs 1 or more characters, not ''."),
        (lambda d: d["candidates"][0].update(name="x" * 61), "name: may have at most 60 characters"),
        (lambda d: d["candidates"][0].update(name="a\ud800b"), "name: holds half a character"),
        (lambda d: d["candidates"][0].update(name=3), "name: must be text, not 3."),
        (lambda d: d.update({"k" * 10_000: 1}), f"{'k' * 40}…: is not known"),
        (lambda d: d.update({"a\x1b[2Jb": 1}), "a�[2Jb: is not known"),
        (lambda d: d["rig"]["drives"][0].update(power_W=-1), "rig.drives[0] (“Mat”).power_W: must be at least 0.001"),
        (lambda d: d["rig"].update(drives=[]), "rig.drives: needs at least 1, has 0."),
        (lambda d: d["rig"]["bodies"][0].update(melting=7), "melting: must be an object, not 7."),
        (lambda d: d["rig"]["bodies"][0].update(limit_why="a\nb"), "limit_why: may not hold line breaks"),
        (lambda d: d["rig"]["bodies"][0].update(made_of=[{"material": "a\x9bb"}]), "a�b"),
    ],
)
def test_each_fault_is_said_in_plain_words_once(change: Callable[[Any], Any], sentence: str) -> None:
    document = raw()
    change(document)
    said = fault_of(json.dumps(document))
    assert sentence in said, said
    assert ".." not in said
    assert "input should be" not in said.lower()
    assert len(said) < 700
    assert not any(ord(c) in CONTROLS for c in said)
    drives = [line for line in said.splitlines() if "rig.drives: needs" in line]
    assert len(drives) == (document["rig"]["drives"] == [])
    assert list(jsonschema.Draft202012Validator(schema()).iter_errors(document)) or "half" in said or "a�b" in said


@pytest.mark.parametrize(
    "text",
    [
        '{"format": ' + "9" * 5000 + "}",
        '{"a": ' * 30_000,
        '{"format": 1, "name": ' + "[" * 60 + "]" * 60 + "}",
        to_json(cure_cabinet()).encode("utf-16"),
        b"\xff\xfe",
    ],
    ids=["number", "nested", "deep", "utf-16", "bytes"],
)
def test_a_document_that_is_none_is_one_sentence(text: str | bytes) -> None:
    assert len(fault_of(text)) < 400


def test_a_byte_order_mark_does_no_harm() -> None:
    project = cure_cabinet()
    assert again(project, b"\xef\xbb\xbf" + to_json(project).encode()) == project


def test_faults_of_arguments_are_one_line_and_exit_code_2(tmp_path: Path) -> None:
    for arguments in (
        ["x" * 300], ["check", "x" * 300], ["\x1b[2Jfile"], ["check", "a\nb"], ["demo", "\x1b]0;x"],
        ["run", str(tmp_path / "none" / "x.kelvarn")], ["run", "/proc/1/mem/x.kelvarn"],
    ):  # fmt: skip
        done = kelvarn(*arguments)
        assert done.returncode == 2, (arguments, done.stderr)
        assert len(done.stderr.splitlines()) == 1
        assert "Traceback" not in done.stderr
        assert not any(ord(c) in CONTROLS for c in done.stderr)


def test_hostile_zip_entries_reach_no_terminal(tmp_path: Path) -> None:
    path = tmp_path / "x.kelvarn"
    with zipfile.ZipFile(path, "w") as archive:
        archive.writestr("\x1b[31mred\nnext line", b"x")
    done = kelvarn("check", str(path))
    assert done.returncode == 2
    assert len(done.stderr.splitlines()) == 1
    assert "\x1b" not in done.stderr


@pytest.mark.long
def test_output_that_nobody_takes(tmp_path: Path) -> None:
    path = tmp_path / "x.kelvarn"
    save(cure_cabinet(), path)
    command = f"{sys.executable} -m kelvarn schema"
    full = subprocess.run(f"{command} > /dev/full", shell=True, capture_output=True, text=True, check=False)
    assert full.returncode == 2
    assert full.stderr.splitlines() == ["kelvarn: The output cannot be written: No space left on device."]
    for asked in ("schema", "--help"):
        head = subprocess.run(
            ["bash", "-c", f"{sys.executable} -m kelvarn {asked} | head -c 10 >/dev/null; echo ${{PIPESTATUS[0]}}"],
            capture_output=True, text=True, check=False,
        )  # fmt: skip
        assert (head.stdout.strip(), head.stderr) == ("0", "")


def test_an_interrupt_while_it_loads_is_no_traceback() -> None:
    process = subprocess.Popen([sys.executable, "-X", "importtime", "-m", "kelvarn", "demos"],
                               stderr=subprocess.PIPE, stdout=subprocess.DEVNULL, text=True)  # fmt: skip
    assert process.stderr is not None
    said = ""
    for line in process.stderr:  # what is loaded is told as it is: interrupt it in the middle
        said += line
        if "pydantic" in line:
            process.send_signal(signal.SIGINT)
            break
    rest = process.communicate()[1]
    assert process.returncode in (-signal.SIGINT, 130)
    assert "Traceback" not in said + rest


def test_names_that_differ_little_get_files_of_their_own(tmp_path: Path) -> None:
    project = two_candidates()
    short = put(project, ("trials", 0), with_fields(project.first_trial, events=(), marks=(), duration_s=3600.0))
    made = short.model_copy(
        update={
            "candidates": tuple(
                c.model_copy(update={"name": name}) for c, name in zip(short.candidates, ("PID", "pid"), strict=True)
            ),
            "chosen": None,
            "trials": tuple(short.trials[0].model_copy(update={"name": name}) for name in ("Night!", "night?")),
        }
    )
    save(made, tmp_path / "x.kelvarn")
    done = kelvarn_apart("run", str(tmp_path / "x.kelvarn"), "--out", str(tmp_path / "out"))
    assert done.returncode == 0, done.stderr
    written = sorted(path.name for path in (tmp_path / "out").iterdir())
    assert len([name for name in written if name.endswith(".csv")]) == 4
    assert len([name for name in written if name.endswith(".png")]) == 2


def test_results_too_large_to_hold_at_once_are_kept_as_they_can_be_drawn(cabinet: Project) -> None:
    trial = cabinet.first_trial
    whole = Results().of_project(cabinet, trial)
    small = Results(most_at_once=100_000)
    found = small.of_project(cabinet, trial)
    assert list(found) == list(whole)
    for key, result in found.items():
        other = whole[key]
        assert isinstance(result, Result)
        assert isinstance(other, Result)
        assert result.measures == other.measures
        assert result.run.time_s.size <= other.run.time_s.size


@pytest.mark.long
def test_a_hostile_document_does_not_take_long() -> None:
    document = raw()
    document["candidates"] = [document["candidates"][0] | {"name": f"c{k}"} for k in range(50_000)]
    begun = time.process_time()
    assert "may have at most 60" in fault_of(json.dumps(document))
    assert time.process_time() - begun < 10
