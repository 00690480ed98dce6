"""What a screen reader is told: the tree of accessible nodes, as the desktop's bridge passes it on."""

from collections.abc import Iterator
from typing import NamedTuple

from PySide6.QtGui import QAccessible, QAccessibleInterface
from PySide6.QtWidgets import QWidget

_Role = QAccessible.Role
INTERACTIVE = {
    _Role.Button, _Role.CheckBox, _Role.ComboBox, _Role.EditableText, _Role.Link, _Role.List, _Role.PageTabList,
    _Role.RadioButton, _Role.Slider, _Role.SpinBox, _Role.Table, _Role.Tree, _Role.ButtonDropDown, _Role.ButtonMenu,
    _Role.Chart, _Role.Graphic, _Role.Canvas,
}  # fmt: skip
"""Roles of what is acted on, or read as a whole."""
_VALUED = {_Role.ComboBox, _Role.Slider, _Role.SpinBox}


class Node(NamedTuple):
    """One node.

    Attributes:
        role: its name in Qt.
        name, value: what it is called, and what stands in it.
        focusable: whether keys come to it.
        what: class of the widget behind it, "" for an entry of a list.
    """

    role: str
    name: str
    value: str
    focusable: bool
    what: str

    @property
    def fault(self) -> str:
        """What is missing; "" where nothing is."""
        role = _Role[self.role]
        if not (self.focusable or role in INTERACTIVE):
            return ""
        if role in (_Role.NoRole, _Role.Client, _Role.Pane, _Role.LayeredPane, _Role.Grouping) and self.focusable:
            return "no role"
        if not self.name.strip():
            return "no name"
        return "no value" if role in _VALUED and not self.value.strip() else ""


def node_of(found: QAccessibleInterface) -> Node:
    """A node as it is told."""
    widget = found.object()
    return Node(
        found.role().name, found.text(QAccessible.Text.Name), found.text(QAccessible.Text.Value),
        bool(found.state().focusable),
        type(widget).__name__ if isinstance(widget, QWidget) else "",
    )  # fmt: skip


def tree(widget: QWidget) -> Iterator[Node]:
    """All nodes below a widget that can be seen."""

    def walk(found: QAccessibleInterface | None, depth: int) -> Iterator[Node]:
        if found is None or not found.isValid() or found.state().invisible or depth > 40:
            return
        yield node_of(found)
        for k in range(min(found.childCount(), 400)):
            yield from walk(found.child(k), depth + 1)

    yield from walk(QAccessible.queryAccessibleInterface(widget), 0)
