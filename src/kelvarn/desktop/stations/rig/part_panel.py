"""What the sections of the right column of Rig are made of."""

from collections.abc import Callable, Sequence
from typing import Any

from PySide6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from kelvarn.desktop import theme
from kelvarn.desktop.fields.binding import Binding
from kelvarn.desktop.fields.number import NumberField
from kelvarn.desktop.fields.plain import ChoiceField, NameEdit, SwitchField, TextField, heading
from kelvarn.desktop.language import tell
from kelvarn.desktop.parts.boxes import Guarded
from kelvarn.desktop.parts.panel import Note, Panel
from kelvarn.desktop.parts.plain import PlainLabel, plain_tip
from kelvarn.desktop.state.document import Document
from kelvarn.desktop.state.view import View
from kelvarn.desktop.stations.remarks import Flag, Remarks
from kelvarn.model.edit import Path, value_at
from kelvarn.model.fields import ModelBase

from .actions import RigActions


class UseButton(QPushButton):
    """“Use 926 J/K”: takes a value that is asked for at each refresh."""

    def __init__(self, value: Callable[[], str]) -> None:
        super().__init__()
        self._value = value
        self.setProperty("main", True)
        self.setFont(theme.font("small", bold=True))
        self.setToolTip(tell("Take this value"))
        self.refresh()

    def refresh(self) -> None:
        """Name the value as it is now."""
        self.setText(tell("Use {value}", value=self._value()))


class PartPanel(Panel):
    """A column of fields about parts of the rig.

    Args:
        guarded: runs work whose faults are said to the user.
        remarks: are flagged below their settings.

    Attributes:
        relay_life_years: how long the relay lasts at the pace of the run shown; None where there is none.
    """

    def __init__(
        self, document: Document, view: View, edits: RigActions, guarded: Guarded, remarks: Remarks
    ) -> None:  # fmt: skip
        super().__init__(theme.RIGHT_WIDTH - 40)
        self.document, self.view, self.edits, self._guarded = document, view, edits, guarded
        self._remarks = remarks
        self._name: NameEdit | None = None
        self.relay_life_years: float | None = None

    def type_name(self) -> None:
        """Put the hands on the name of the selected part."""
        if self._name is not None:
            self._name.setFocus()
            self._name.selectAll()

    def at(self, path: Path) -> Any:
        """What stands at a path of the project."""
        return value_at(self.document.project, path)

    def head(self, text: str) -> None:
        """A heading, as many lines as it needs."""
        label = heading(text)
        label.setWordWrap(True)
        label.setMinimumWidth(40)
        self.add(label)

    def gap(self) -> None:
        """Some room before the next section."""
        label = PlainLabel()
        label.setFixedHeight(1)
        self.add(label, 6)

    def name(self, title: str, value: Callable[[], str], rename: Callable[[str], None]) -> None:
        """The name of the selected part, to be typed over."""
        edit = NameEdit(title, value, rename)
        edit.setProperty("plain", True)
        if self._name is None:
            self._name = edit
        self.add(edit)

    def field(self, path: Path, name: str, title: str | None = None, empty: str | None = None) -> NumberField:
        """A number field."""
        binding = Binding(self.document, self.view, (*path, name), title)
        made = NumberField(binding)
        if empty is not None:
            made.edit.setPlaceholderText(empty)
        self.add(made)
        self._flag(binding.path)
        return made

    def _flag(self, path: Path) -> None:
        """What is remarked on a setting, below it."""
        self.add(Flag(self._remarks, path))

    def fields(self, path: Path, names: Sequence[str]) -> None:
        """Number fields one below the other."""
        for name in names:
            self.field(path, name)

    def choice(
        self, path: Path, name: str, choices: list[tuple[Any, str]], put: Callable[[Any], object] | None = None,
        title: str | None = None,
    ) -> None:  # fmt: skip
        """A choice between values."""
        binding = Binding(self.document, self.view, (*path, name), title)
        if put is None:
            self.add(ChoiceField(binding, choices))
            self._flag(binding.path)
            return

        def take(value: Any) -> None:
            self._guarded(lambda: put(value))()

        self.add(ChoiceField(binding, choices, take))

    def text(self, path: Path, name: str) -> None:
        """A line of text."""
        self.add(TextField(Binding(self.document, self.view, (*path, name))))

    def switch(self, path: Path, name: str) -> None:
        """A yes or no."""
        self.add(SwitchField(Binding(self.document, self.view, (*path, name))))
        self._flag((*path, name))

    def note(self, text: Callable[[], str], role: str = "muted") -> None:
        """A line worked out from the project."""
        self.add(Note(text, role))

    def button(self, text: str, work: Callable[[], object], tip: str = "") -> QPushButton:
        """Something to click, as a line of text."""
        made = QPushButton(text)
        made.setProperty("link", True)
        made.setFont(theme.font("small", bold=True))
        made.setToolTip(plain_tip(tip))
        made.clicked.connect(lambda: self._guarded(work)())
        self.add(made)
        return made

    def use(self, value: Callable[[], str], take: Callable[[], object]) -> None:
        """A button that takes a value worked out."""
        made = UseButton(value)
        made.clicked.connect(lambda: self._guarded(take)())
        self.add(made)

    def optional(
        self, path: Path, name: str, add: str, make: Callable[[], ModelBase], fill: Callable[[Path], None]
    ) -> None:  # fmt: skip
        """A part that may be there or not: a line that adds it, or its fields and a line that removes it."""
        here: Path = (*path, name)
        info = type(self.at(path)).model_fields[name]
        what = tell(info.title or name)
        if self.at(here) is None:
            self.button(
                f"+ {add}",
                lambda: self.document.set(here, make(), tell("add {what}", what=what)),
                tell(info.description or ""),
            )
            return
        self.titled(what, lambda: self.document.set(here, None, tell("remove {what}", what=what)))
        fill(here)

    def titled(self, title: str, remove: Callable[[], object]) -> None:
        """A small heading with a × that removes what follows."""
        row = QWidget()
        layout = QHBoxLayout(row)
        layout.setContentsMargins(0, 4, 0, 0)
        label = PlainLabel(title)
        label.setFont(theme.font("small", bold=True))
        layout.addWidget(label, 1)
        layout.addWidget(self.cross(tell("Remove: {what}", what=title), remove))
        self.add(row)

    def cross(self, tip: str, work: Callable[[], object]) -> QPushButton:
        """A × that removes something."""
        made = QPushButton("×")
        made.setProperty("link", True)
        made.setToolTip(plain_tip(tip))
        made.setAccessibleName(tip)
        made.setFixedWidth(18)
        made.clicked.connect(lambda: self._guarded(work)())
        return made
