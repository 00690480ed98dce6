"""Somebody who follows a page of the guide to the letter, by mouse and keys in the real window.

In a step **bold** is what is clicked: what is called so and can be seen, an entry of a list or a choice, else a command
by Ctrl+K. `Code` is pressed where it names keys, typed where it does not, and answers a question for a file or a name.
*Italics* must come to be seen somewhere in the window; “…” in them stands for anything.
"""

import re
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QKeySequence
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QApplication,
    QComboBox,
    QFileDialog,
    QInputDialog,
    QLabel,
    QLineEdit,
    QListWidget,
    QMenu,
    QTabBar,
    QTableWidget,
    QTextEdit,
    QWidget,
)
from pytestqt import exceptions
from pytestqt.qtbot import QtBot

from kelvarn.desktop.frame.finder import Finder
from kelvarn.desktop.frame.window import MainWindow
from kelvarn.desktop.parts.plain import bare_text

from .conftest import click

_TOKEN = re.compile(r"\*\*(?P<click>.+?)\*\*|`(?P<code>.+?)`|(?<!\*)\*(?P<seen>[^*]+?)\*(?!\*)")
_KEYS = re.compile(r"^(?:(?:Ctrl|Alt|Shift)\+)*(?:F\d+|Enter|Esc|Tab|Space|Home|End|[↑↓←→]|(?<=\+)[^\s])$")
_NAMED = {"Enter": "Return", "↑": "Up", "↓": "Down", "←": "Left", "→": "Right"}
_SLOW_MS = 120_000


class Follower:
    """See the module.

    Args:
        window: what is driven.
        folder: where files of a step are.
    """

    def __init__(self, window: MainWindow, qtbot: QtBot, folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
        self.window, self.qtbot, self.folder = window, qtbot, folder
        self.answer, self.clicked = "", False
        for name in ("getOpenFileName", "getSaveFileName"):
            monkeypatch.setattr(QFileDialog, name, lambda *_, **__: (str(folder / self.answer), ""))
        monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *_, **__: ([str(folder / self.answer)], ""))
        monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_, **__: str(folder / self.answer))
        monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: (self.answer, True))

    def step(self, text: str) -> None:
        """Do what a step says. Fails where that cannot be done or is not seen."""
        tokens = list(_TOKEN.finditer(text))
        typed = [each["code"] for each in tokens if each["code"] and not _KEYS.match(each["code"])]
        self.answer = typed[0] if typed else ""
        for token in tokens:
            if token["click"]:
                self.click(token["click"])
            elif token["seen"]:
                self.see(token["seen"])
            elif _KEYS.match(token["code"]):
                self.press(token["code"])
            else:
                self.type(token["code"])
            QApplication.processEvents()

    def click(self, name: str) -> None:
        """Click what is called so, as soon as it is there."""
        known = [bare_text(action.text()) for action in self.window.menus.actions.values()]
        self._until(lambda: self._click_shown(name) or name in known, f"“{name}” to be clicked")
        if not self.clicked:
            self._find(name)

    def _click_shown(self, name: str) -> bool:
        self.clicked = True
        for widget in self.shown():
            if (
                widget.isEnabled()
                and any(map(_like(name).fullmatch, _names(widget)))
                and not isinstance(widget, QLabel | QMenu)
            ):
                if isinstance(widget, QLineEdit):
                    widget.setFocus()
                else:
                    click(widget)
                return True
        self.clicked = any(widget.isEnabled() and self._choose(widget, name) for widget in self.shown())
        return self.clicked

    def _choose(self, widget: QWidget, name: str) -> bool:
        """Click an entry of a list, a table, tabs or a choice."""
        if isinstance(widget, QComboBox):
            place = widget.findText(name)
            if place >= 0:
                widget.setFocus()
                QTest.keyClick(widget, Qt.Key.Key_Home)
                for _ in range(place):
                    QTest.keyClick(widget, Qt.Key.Key_Down)
                widget.activated.emit(widget.currentIndex())
            return place >= 0
        if isinstance(widget, QTabBar):
            found = [k for k in range(widget.count()) if bare_text(widget.tabText(k)) == name]
            if found:
                click(widget, widget.tabRect(found[0]).center())
            return bool(found)
        if isinstance(widget, QAbstractItemView) and widget.model() is not None:
            model = widget.model()
            for row in range(model.rowCount()):
                for column in range(model.columnCount()):
                    place = model.index(row, column)
                    if str(place.data() or "").startswith(name):
                        widget.scrollTo(place)
                        click(widget.viewport(), widget.visualRect(place).center())
                        return True
        return False

    def _find(self, name: str) -> None:
        self.window.menus.actions["Find a command…"].trigger()  # no popup takes keys of its own offscreen
        finder = next(w for w in QApplication.topLevelWidgets() if isinstance(w, Finder) and w.isVisible())
        QTest.keyClicks(finder.line, name)
        found = finder.list.item(0)
        assert found is not None, f"nothing is called “{name}” here"
        assert found.text().startswith(name)
        QTest.keyClick(finder.line, Qt.Key.Key_Return)

    def type(self, text: str) -> None:
        """Type into what has the focus, if that takes text."""
        field = QApplication.focusWidget()
        if isinstance(field, QLineEdit) and not field.isReadOnly():
            field.selectAll()
            QTest.keyClicks(field, text)
            QTest.keyClick(field, Qt.Key.Key_Tab)

    def press(self, keys: str) -> None:
        """Press keys."""
        for word, name in _NAMED.items():
            keys = keys.replace(word, name)
        self.window.activateWindow()  # a popup that has gone leaves none active, offscreen
        QApplication.processEvents()
        QTest.keySequence(QApplication.focusWidget() or self.window, QKeySequence(keys))

    def see(self, text: str) -> None:
        """Wait until it is seen."""
        self._until(lambda: any(_like(text).search(each) for each in self.texts()), f"“{text}” to be seen")

    def _until(self, holds: Callable[[], bool], what: str) -> None:
        try:
            self.qtbot.waitUntil(holds, timeout=_SLOW_MS)
        except exceptions.TimeoutError as error:
            raise AssertionError(f"there is no {what}, but {sorted(set(self.texts()))}") from error

    def shown(self) -> Iterator[QWidget]:
        """All that is shown, windows in front first."""
        for top in sorted(QApplication.topLevelWidgets(), key=lambda each: each is self.window):
            if top.isVisible():
                yield from (each for each in (top, *top.findChildren(QWidget)) if each.isVisible())

    def texts(self) -> Iterator[str]:
        """All that can be read."""
        for widget in self.shown():
            yield from _names(widget)
            yield widget.accessibleDescription()
            if isinstance(widget, QTextEdit):
                yield widget.toPlainText()
            if isinstance(widget, QListWidget | QTableWidget):
                model = widget.model()
                for row in range(model.rowCount()):
                    for column in range(model.columnCount()):
                        yield str(model.index(row, column).data() or "")
        yield self.window.statusBar().currentMessage()


def _like(text: str) -> re.Pattern[str]:
    """What a text stands for: “…” for anything."""
    return re.compile(".*?".join(re.escape(part.strip()) for part in text.split("…")), re.DOTALL)


def _names(widget: QWidget) -> set[str]:
    """What a widget is called."""
    text = widget.text() if isinstance(widget, QAbstractButton | QLabel | QLineEdit) else ""
    return {widget.accessibleName(), bare_text(text).strip()} - {""}
