"""What careless hands do in the window: commands, texts into fields, choices, wild drags, keys, clicks."""

import random
from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QAction
from PySide6.QtPrintSupport import QPrintDialog
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QApplication,
    QCheckBox,
    QFileDialog,
    QInputDialog,
    QLineEdit,
    QMenu,
    QMessageBox,
    QPushButton,
    QWidget,
)

from kelvarn.desktop.fields.plain import Choice
from kelvarn.desktop.fields.ruler import RulerScale
from kelvarn.desktop.frame.window import MainWindow
from kelvarn.desktop.language import OWN_NAMES
from tests.window.conftest import drag, type_into

TEXTS = (
    "", "0", "-1", "1e9", "12 bananas", "5 min", "2h30", "60", "100 °F", "nan", "1,5", "50 %", "0.2 K/W", "7" * 300,
    "Air", "<img src=x>", "a&b", "漢字", "=1+1", "../../x", "\u202eabc",
)  # fmt: skip
_LEAVES = (
    *[f"Language: {name}" for name in OWN_NAMES.values()], "Open…", "Quit", "Larger", "Smaller",
    "As large as the desktop has it", "Take candidates from a project…",
)  # fmt: skip
"""Commands after which the window or the project is another one altogether, or none."""
_LISTS = ("Remarks", "Kept runs…", "What differs between two…")
_KEYS = (
    Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_Escape, Qt.Key.Key_Return,
    Qt.Key.Key_Plus, Qt.Key.Key_Minus, Qt.Key.Key_Home, Qt.Key.Key_Backspace, Qt.Key.Key_Tab, Qt.Key.Key_Delete,
)  # fmt: skip


def answer_boxes(rng: random.Random, folder: Path, put: Callable[[object, str, object], None] = setattr) -> None:
    """Let boxes that wait be answered by careless hands.

    Args:
        rng: what decides.
        folder: where files are written.
        put: sets an attribute, such as that of pytest's monkeypatch.
    """

    def name(*_: object, **__: object) -> tuple[str, str]:
        wanted = rng.choice(("", "x.pdf", "x.html", "x.png", "x.svg", "x.json", "no suffix", "none/x.pdf", "y" * 255))
        return (str(folder / wanted) if wanted else "", "")

    put(QFileDialog, "getSaveFileName", name)
    put(QFileDialog, "getOpenFileName", lambda *_, **__: ("", ""))
    put(QFileDialog, "getOpenFileNames", lambda *_, **__: ([str(folder / "none.csv")] * rng.randrange(2), ""))
    put(QInputDialog, "getText", lambda *_, **__: (rng.choice(TEXTS), rng.random() < 0.7))
    put(QInputDialog, "getItem", lambda *args, **_: (rng.choice(args[3]), rng.random() < 0.7))
    put(QPrintDialog, "show", lambda dialog: dialog.reject())
    put(QMessageBox, "exec", lambda box: box.standardButton(rng.choice(box.buttons())).value)


def _given(action: QAction) -> str:
    """Give a command; gives what it was."""
    if action.isEnabled():
        action.trigger()
    return f"command {action.text()}"


class Deeds:
    """Deeds of one window, out of a random source.

    Args:
        window, rng: where, and what decides; `answer_boxes` must have been called.
        leave: also open other projects; then undo does not lead back to where it began.

    Attributes:
        commands: those that are given.
    """

    def __init__(self, window: MainWindow, rng: random.Random, *, leave: bool = False) -> None:
        self._window, self._rng = window, rng
        self.commands = [
            action for name, action in window.menus.actions.items()
            if name not in _LEAVES and (leave or not name.startswith(("Open demo", "New rig", "Close the project")))
        ]  # fmt: skip

    def one(self) -> str:
        """Do something; gives what it was."""
        deeds: list[Callable[[], str]] = [
            self._command, self._station, self._type, self._type, self._pull, self._turn, self._choose, self._press,
            self._tick, self._key, self._select, self._event, self._list, self._point,
        ]  # fmt: skip
        return self._do(self._rng.choice(deeds))

    def command(self, action: QAction) -> str:
        """Give a command; gives what it was."""
        return self._do(lambda: _given(action))

    def _do(self, deed: Callable[[], str]) -> str:
        said = deed()
        QApplication.processEvents()
        self._close_boxes()
        return said

    def _close_boxes(self) -> None:
        for widget in QApplication.topLevelWidgets():
            if isinstance(widget, QMessageBox | QMenu) and widget.isVisible():
                widget.close()
        popup = QApplication.activePopupWidget()
        if popup is not None:
            popup.close()

    def _seen(self, kind: type[QWidget]) -> list[QWidget]:
        return [widget for widget in self._window.station.findChildren(kind) if widget.isVisible()]

    def _command(self) -> str:
        return _given(self._rng.choice(self.commands))

    def _list(self) -> str:
        """Open a list, and press something in it."""
        name = self._rng.choice(_LISTS)
        self._window.menus.actions[name].trigger()
        popup = QApplication.activePopupWidget()
        if popup is None:
            return f"no list {name}"
        for line in popup.findChildren(QLineEdit):
            line.setText(self._rng.choice(("", "known", "x" * 300)))
        buttons = popup.findChildren(QPushButton) + popup.findChildren(QCheckBox)
        if buttons:
            self._rng.choice(buttons).click()
        return f"list {name}"

    def _point(self) -> str:
        """Drag a point of a chart, or move it by keys."""
        # Not `findChildren` of the window: its wrapper would keep those of all lists that ever opened.
        points = [each for each in QApplication.allWidgets() if type(each).__name__ == "Handle" and each.isVisible()]
        if not points:
            return "no point"
        point = self._rng.choice(points)
        name = point.accessibleName()
        if self._rng.random() < 0.5:
            drag(point, QPointF(7, 7), QPointF(self._rng.randrange(-150, 150), self._rng.randrange(-150, 150)), 2)
        else:
            point.setFocus()
            QTest.keyClick(point, self._rng.choice(_KEYS))
        return f"point {name}"

    def _station(self) -> str:
        index = self._rng.randrange(len(self._window.stations))
        self._window.go_to(index)
        return f"station {index}"

    def _type(self) -> str:
        lines = self._seen(QLineEdit)
        if not lines:
            return "no line"
        line, text = self._rng.choice(lines), self._rng.choice(TEXTS)
        name = line.accessibleName()
        if text.isascii() or "°" in text:
            type_into(line, text)
        else:  # the test library has no keys for these
            line.setFocus()
            line.selectAll()  # type: ignore[attr-defined]
            line.insert(text)  # type: ignore[attr-defined]
            QTest.keyClick(line, Qt.Key.Key_Return)
        return f"type {text[:20]!r} into {name}"

    def _pull(self) -> str:
        strip = self._window.station.chart
        handles = strip.handles() if strip is not None else []
        if strip is None or not handles:
            return "no handle"
        handle = self._rng.choice(handles)[2]
        end = QPointF(self._rng.randrange(-50, strip.width() + 50), self._rng.randrange(-50, strip.height() + 50))
        drag(strip, strip.rect_of(handle.name).center(), end, 3)
        return f"pull {handle.name}"

    def _turn(self) -> str:
        rulers = self._seen(RulerScale)
        if not rulers:
            return "no ruler"
        at = QPoint(self._rng.randrange(300), 6)
        QTest.mouseClick(self._rng.choice(rulers), Qt.MouseButton.LeftButton, pos=at)
        return "turn a ruler"

    def _choose(self) -> str:
        boxes = [box for box in self._seen(Choice) if box.isEnabled() and box.count()]  # type: ignore[attr-defined]
        if not boxes:
            return "no choice"
        box = self._rng.choice(boxes)
        assert isinstance(box, Choice)
        box.setCurrentIndex(self._rng.randrange(box.count()))
        name = box.accessibleName()
        box.activated.emit(box.currentIndex())
        return f"choose in {name}"

    def _press(self) -> str:
        buttons = [b for b in self._seen(QPushButton) if b.isEnabled() and not b.text().startswith("+ open")]  # type: ignore[attr-defined]
        if not buttons:
            return "no button"
        button = self._rng.choice(buttons)
        text = button.text()  # type: ignore[attr-defined]
        QTest.mouseClick(button, Qt.MouseButton.LeftButton)
        return f"press {text}"

    def _tick(self) -> str:
        boxes = self._seen(QCheckBox)
        if boxes:
            boxes[self._rng.randrange(len(boxes))].click()  # type: ignore[attr-defined]
        return "tick"

    def _key(self) -> str:
        key = self._rng.choice(_KEYS)
        target = self._window.focusWidget() or self._window
        QTest.keyClick(
            target, key, self._rng.choice((Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ShiftModifier))
        )
        return f"key {key.name} at {type(target).__name__}"

    def _select(self) -> str:
        if self._window.station is self._window.rig:
            keys = list(self._window.rig.heat_path._parts)
            key = self._rng.choice(keys)
            self._window.rig.select(key)
            return f"select {key!r}"
        cards = self._window.control.cards._cards
        self._rng.choice(cards).clicked.emit()
        return "select a card"

    def _event(self) -> str:
        if self._window.station is not self._window.trial:
            return "no event"
        menu = self._window.trial.panel.event_menu()
        action = self._rng.choice(menu.actions())
        if action.isEnabled():
            action.trigger()
        menu.close()
        menu.deleteLater()
        return f"event {action.text()}"
