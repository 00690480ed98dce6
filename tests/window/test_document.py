"""Undo, strokes, save state, recovery at the start: the document without a window round it."""

from pathlib import Path

import pytest
from PySide6.QtGui import QImage
from pytestqt.qtbot import QtBot

from kelvarn.desktop.state import document as module
from kelvarn.desktop.state.document import Document, saved_phrase
from kelvarn.desktop.stations.pictures import draw_trial
from kelvarn.files.faults import FileError
from kelvarn.files.journal import Journal
from kelvarn.files.project_file import load, save
from kelvarn.model.edit import put
from kelvarn.model.project import Project
from kelvarn.studies.results import Results

KP = ("candidates", 1, "controller", "kp_per_K")


@pytest.fixture
def document(cabinet: Project, tmp_path: Path, qtbot: QtBot) -> Document:
    return Document(cabinet, None, Journal(tmp_path / "journal"))


def test_a_stroke_is_one_entry_named_from_where_it_began(document: Document) -> None:
    document.begin_stroke()
    for value in (0.2, 0.3, 0.4):
        began = document.origin.candidates[1].controller.kp_per_K  # type: ignore[union-attr]
        document.set(KP, value, f"Kp {began} → {value}", dragged=True)
    document.end_stroke()
    assert document.undo_name == "Kp 0.16 → 0.4"
    document.undo()
    assert document.get(KP) == 0.16
    assert document.redo_name == "Kp 0.16 → 0.4"
    document.redo()
    assert document.get(KP) == 0.4


def test_a_stroke_that_comes_back_leaves_nothing(document: Document) -> None:
    document.begin_stroke()
    document.set(KP, 0.3, "there", dragged=True)
    document.set(KP, 0.16, "and back", dragged=True)
    document.end_stroke()
    assert document.undo_name is None
    assert not document.dirty


def test_a_new_edit_forgets_what_could_be_redone_and_undo_is_bounded(
    document: Document, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(module, "_MOST_UNDO", 5)
    for k in range(9):
        document.set(("notes",), f"note {k}", f"edit {k}")
    document.undo()
    document.set(("notes",), "else", "else")
    assert document.redo_name is None
    count = 0
    while document.undo_name is not None:
        document.undo()
        count += 1
    assert count == 5


def test_save_state_in_words_and_a_file_changed_by_another_program(document: Document, tmp_path: Path) -> None:
    assert saved_phrase(document) == "not saved yet"
    document.set(("notes",), "x", "notes")
    assert saved_phrase(document) == "never saved"
    path = tmp_path / "x.kelvarn"
    document.save(path)
    assert saved_phrase(document) == "saved just now"
    assert not document.changed_outside
    document.set(("notes",), "y", "notes")
    assert saved_phrase(document) == "x.kelvarn, changed"
    save(put(document.project, ("name",), "Theirs"), path)
    assert document.changed_outside
    document.open(path)
    assert document.project.name == "Theirs"
    assert not document.changed_outside
    path.unlink()
    assert saved_phrase(document) == "x.kelvarn is gone"


def test_saving_through_a_link_keeps_the_link(document: Document, tmp_path: Path) -> None:
    real, link = tmp_path / "real.kelvarn", tmp_path / "link.kelvarn"
    save(document.project, real)
    link.symlink_to(real)
    document.set(("notes",), "through the link", "notes")
    document.save(link)
    assert link.is_symlink()
    assert load(real).notes == "through the link"


def test_a_failed_save_changes_nothing_and_the_work_stays_in_the_journal(document: Document, tmp_path: Path) -> None:
    document.set(("notes",), "precious", "notes")
    document.autosave_now()
    with pytest.raises(FileError):
        document.save(tmp_path / "none" / "x.kelvarn")
    assert document.dirty
    assert document.path is None
    assert len(list((tmp_path / "journal").glob("*.json"))) == 1
    document.save(tmp_path / "x.kelvarn")
    assert list((tmp_path / "journal").iterdir()) == []


def test_an_unwritable_journal_is_said_and_work_goes_on(cabinet: Project, tmp_path: Path, qtbot: QtBot) -> None:
    (tmp_path / "file").write_text("")
    document = Document(cabinet, None, Journal(tmp_path / "file" / "journal"))
    document.set(("notes",), "x", "notes")
    with qtbot.waitSignal(document.trouble) as said:
        document.autosave_now()
    assert "could not be kept" in said.args[0]
    assert document.project.notes == "x"


def test_the_picture_of_a_trial_shows_all_its_curves(cabinet: Project, tmp_path: Path, qtbot: QtBot) -> None:
    path = tmp_path / "trial.part"
    trial, results = cabinet.first_trial, Results()
    found = {each.name: results.of(cabinet.rig, each, trial) for each in cabinet.candidates}
    draw_trial(cabinet, trial.name, found, path)
    image = QImage(str(path))
    colours = {image.pixelColor(x, y).hue() // 10 for x in range(60, 940, 2) for y in range(20, 400, 2)}
    assert image.width() == 1000
    assert {20, 2} <= colours  # the blue of the first and the vermilion of the second candidate
