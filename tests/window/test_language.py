"""The window in another language: nothing of it stays English, and files do not change."""

import json
import re
import runpy
from collections.abc import Iterator
from pathlib import Path
from string import Formatter

import polib
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PySide6.QtCore import QCoreApplication, QSettings
from PySide6.QtWidgets import QAbstractButton, QComboBox, QLabel, QLineEdit, QScrollArea, QTableWidget, QWidget
from pytestqt.qtbot import QtBot

from kelvarn.demos import DEMOS
from kelvarn.desktop import language
from kelvarn.desktop.fields.number import NumberEdit
from kelvarn.desktop.frame.window import BENCH, CONTROL, FIT, RIG, TRIAL, MainWindow
from kelvarn.desktop.language import number_heard, tell
from kelvarn.desktop.parts import texts
from kelvarn.desktop.state.session import Session
from kelvarn.desktop.stations.rig.keys import GOAL, known_keys
from kelvarn.files.project_file import load, save
from kelvarn.kinds import KINDS
from kelvarn.model.project import Project
from kelvarn.sentence import figures, joined, lowered, say, say_counted
from kelvarn.units import Quantity, Scale, show
from kelvarn.words.limitations import limitations

from .conftest import close_window, open_window, type_into

_SCRIPT = Path(__file__).parents[2] / "docs" / "languages.py"
_ENGLISH = re.compile(
    r"\b(the|of|and|is|to|at|with|from|not|its|what|nothing|none|heats|cools|guess|no|are|it|by|for|this|that|which|each|"
    r"until|after|below|above|setpoint|drive|body|link|probe|loss|limit)\b",
    re.IGNORECASE,
)
_SOURCES = ("EN ISO", "Incropera", "IEC ")  # titles of books and standards stay as they are


@pytest.fixture
def german() -> Iterator[None]:
    language.use("de")
    yield
    language.use("en")


def _names(text: str) -> set[str]:
    return {name for _, name, _, _ in Formatter().parse(text) if name is not None}


def test_every_sentence_is_in_the_catalogue_with_its_arguments() -> None:
    known = runpy.run_path(str(_SCRIPT))["sentences"]()
    catalogue = polib.pofile(str(language.catalogue_file("de")))
    assert {entry.msgid for entry in catalogue} == set(known), "run python docs/languages.py"
    for entry in catalogue:
        said = [*entry.msgstr_plural.values()] if entry.msgid_plural else [entry.msgstr]
        assert all(said), entry.msgid
        for text in said:
            assert _names(text) == _names(entry.msgid), entry.msgid


def test_sentences_are_said_with_what_is_put_into_them(german: None) -> None:
    away = show(21.5, Quantity.DIFFERENCE)
    assert str(away) == "21.5 K"
    assert tell(away) == "21,5 K"
    assert tell(figures("1 h 05", "min")) == "1 h 05 min"
    assert tell(show(0.0415, Quantity.GAIN)) == "4,15 % je K"
    assert tell(say("{margin} below its limit", margin=away)) == "21,5 K unter der Grenze"
    assert tell(joined(" and ", (say("heats"), say("cools")))) == "heizt und kühlt"
    assert tell(lowered(say("Overshoot"))) == "Überschwingen"
    assert str(lowered(say("Overshoot"))) == "overshoot"
    assert [str(say_counted("{count} body", "{count} bodies", n)) for n in (1, 2)] == ["1 body", "2 bodies"]
    assert tell(say_counted("{count} body", "{count} bodies", 2)) == "2 Körper"
    assert tell("a text of a {project}") == "a text of a {project}"
    assert tell("{body} from warm", body="Heater 2.5 and {more}") == "Heater 2.5 and {more} von warm aus"


@given(
    value=st.floats(-1e6, 1e6, allow_subnormal=False), quantity=st.sampled_from(list(Quantity)),
    scale=st.sampled_from([Scale.CELSIUS, Scale.FAHRENHEIT, Scale.KELVIN]),
)  # fmt: skip
@settings(deadline=None)
def test_what_is_shown_with_a_comma_is_read_as_it_was(value: float, quantity: Quantity, scale: Scale) -> None:
    shown = show(value, quantity, scale, exact=True)
    language.use("de")
    try:
        heard = number_heard(tell(shown))
    finally:
        language.use("en")
    assert heard == shown


def texts_of(of: QWidget) -> Iterator[str]:
    for widget in (of, *of.findChildren(QWidget)):
        if widget.isVisible():
            yield from (widget.accessibleName(), widget.accessibleDescription(), widget.toolTip())
            if isinstance(widget, QLineEdit):
                yield widget.placeholderText()  # what is typed there is the project's
            elif isinstance(widget, QLabel | QAbstractButton):
                yield widget.text()
            if isinstance(widget, QComboBox):
                yield from (widget.itemText(k) for k in range(widget.count()))
            if isinstance(widget, QTableWidget):
                places = ((row, k) for row in range(widget.rowCount()) for k in range(widget.columnCount()))
                yield from (item.text() for place in places if (item := widget.item(*place)) is not None)


def _of_project(found: object) -> Iterator[str]:
    """All texts that a project holds."""
    if isinstance(found, dict):
        for each in found.values():
            yield from _of_project(each)
    elif isinstance(found, list):
        for each in found:
            yield from _of_project(each)
    elif isinstance(found, str) and found:
        yield found


def left_in_english(seen: set[str], project: Project) -> list[str]:
    """Texts in which something is left in English, of which what the project holds is taken out first."""
    own = sorted(set(_of_project(json.loads(project.model_dump_json()))), key=len, reverse=True)
    found = []
    for text in seen:
        bare = text
        for name in own:
            bare = bare.replace(name, " ")
        if not any(source in text for source in _SOURCES) and _ENGLISH.search(bare):
            found.append(text)
    return found


@pytest.mark.parametrize("name", [demo.name for demo in DEMOS])
def test_nothing_of_rig_is_left_in_english(
    name: str, german: None, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:  # fmt: skip
    project = next(demo for demo in DEMOS if demo.name == name).build()
    window = open_window(qtbot, project)
    window.go_to(RIG)
    rig, seen, laid_out = window.rig, set[str](), texts.laid_out
    qtbot.waitUntil(lambda: not (rig.steps.busy or window.runner.busy), timeout=120_000)
    with monkeypatch.context() as patched:
        patched.setattr(texts, "laid_out", lambda text, *more, **how: seen.add(text) or laid_out(text, *more, **how))
        for key in (*known_keys(project.rig), *([GOAL] if project.rig.goal else [])):
            rig.select(key)
            rig.grab()
            seen.update(texts_of(rig))
    assert len(seen) > 60
    assert left_in_english(seen, project) == []
    close_window(window)


def test_nothing_of_the_other_stations_is_left_in_english_or_has_no_room(
    german: None, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    project = DEMOS[0].build()
    window = open_window(qtbot, project)
    window.resize(1280, 800)
    seen, laid_out = set[str](), texts.laid_out
    monkeypatch.setattr(
        texts, "laid_out", lambda text, *more, **how: seen.add(tell(text)) or laid_out(text, *more, **how)
    )
    for place in (CONTROL, FIT, TRIAL, BENCH):
        window.go_to(place)
        qtbot.waitUntil(
            lambda: not (window.runner.busy or window.runner.jobs.busy() or window.remarks.busy), timeout=120_000
        )
        window.grab()
        QCoreApplication.processEvents()
        seen.update(texts_of(window.station))
        for column in window.station.findChildren(QScrollArea):
            if column.isVisible() and (within := column.widget()) is not None:
                assert within.width() <= column.viewport().width() + 1, (place, within)
    assert len(seen) > 200
    assert left_in_english(seen, project) == []
    close_window(window)


def test_what_is_wrong_in_a_field_of_rig_is_said_in_german(german: None, qtbot: QtBot) -> None:
    """Texts, signs, units and figures that no field or no other field takes."""
    window = open_window(qtbot, next(demo for demo in DEMOS if demo.name == "wax-pot").build())
    window.go_to(RIG)
    rig, said, tried = window.rig, set[str](), set[str]()

    def open_lines() -> list[QLineEdit]:
        return [each for each in rig.findChildren(QLineEdit) if each.isVisible() and not each.isReadOnly()]

    for key in known_keys(window.document.project.rig):
        rig.select(key)
        for place, line in enumerate(open_lines()):
            if line.accessibleName() in tried:
                continue
            tried.add(line.accessibleName())
            for typed in ("", "-1", "1e9", "12 bananas", "x"):
                type_into(open_lines()[place], typed)
                said |= {each.text() for each in rig.findChildren(QLabel) if each.property("role") == "wrong"}
                while window.document.undo_name is not None:
                    window.document.undo()
    assert len(said) > 30
    assert left_in_english({text.replace("bananas", "") for text in said}, window.document.project) == []
    assert {"„bananas“ ist keine Einheit (Dauer); möglich: s, min, h, d.", "Bitte eine Zahl eingeben: Energie."} <= said
    close_window(window)


def test_a_rig_is_asked_for_and_built_in_german(german: None, empty: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    start, box = empty.start, KINDS[0]
    assert left_in_english(set(texts_of(empty.whole)), empty.document.project) == []
    for kind in KINDS:
        start.ask(kind)
        qtbot.waitUntil(lambda: start.questions.becomes.count() > 3, timeout=60_000)
        assert left_in_english(set(texts_of(start)), empty.document.project) == [], kind.key
    start.ask(box)
    line = next(line for line in start.questions.lines if line.question.key == "load")
    line.edit.setFocus()
    line.edit.selectAll()
    type_into(line.edit, "2.750 kg")
    assert "zwei Arten" in line.fault.text()
    assert line.value is None
    line.edit.selectAll()
    type_into(line.edit, "2,75 kg")
    assert line.value == 2.75
    start.questions.button.click()
    qtbot.waitUntil(lambda: not empty.nothing_open, timeout=60_000)
    built = empty.document.project
    assert built.rig.body_names == ("Heizung", "Luft", "Wände", "Inhalt")
    path = tmp_path / "kasten.kelvarn"
    save(built, path)
    assert load(path) == built
    assert list(_numbers(built)) == list(_numbers(box.made({"load": 2.75})))
    assert "no draughts, no sun, no damp" in limitations(built.rig)  # below the window it stays English


def _numbers(project: Project) -> Iterator[float]:
    def walk(found: object) -> Iterator[float]:
        if isinstance(found, dict | list):
            for each in found.values() if isinstance(found, dict) else found:
                yield from walk(each)
        elif isinstance(found, int | float):
            yield found

    yield from walk(json.loads(project.model_dump_json()))


def test_figures_are_typed_and_shown_with_a_comma(german: None, window: MainWindow) -> None:
    window.go_to(RIG)
    edit = next(each for each in window.rig.findChildren(NumberEdit) if each.binding.path[-1] == "capacity_J_per_K")
    edit.setFocus()
    edit.selectAll()
    type_into(edit, "2,5 kJ/K")
    assert window.document.get(edit.binding.path) == 2500.0
    assert edit.text() == "2,5 kJ/K"
    assert edit.placeholderText() == ""
    said = []
    edit.complaint.connect(said.append)
    edit.selectAll()
    type_into(edit, "2.600")
    assert said[-1] == "„2.600“ lässt sich auf zwei Arten lesen; bitte 2600 oder 2,600 schreiben."
    assert window.document.get(edit.binding.path) == 2500.0


def test_another_language_opens_the_window_anew(window: MainWindow, tmp_path: Path) -> None:
    window.session = Session(QSettings(str(tmp_path / "kept.ini"), QSettings.Format.IniFormat))
    window.menus.actions["Language: English"].trigger()
    assert not window.begins_anew
    window.document._saved = window.document.project
    window.menus.actions["Language: Deutsch"].trigger()
    assert window.begins_anew
    assert window.session.get("language") == "de"
