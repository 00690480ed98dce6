"""P, PI and PID settings in the form of another device, read and typed there; the law stays the same."""

from collections.abc import Callable

from PySide6.QtWidgets import QGridLayout, QVBoxLayout, QWidget

from kelvarn.desktop.fields.plain import Choice, small
from kelvarn.desktop.fields.typed import TypedLine
from kelvarn.desktop.language import tell
from kelvarn.desktop.parts.plain import PlainLabel
from kelvarn.model.edit import EditError
from kelvarn.model.forms import FORMS, Form, FormError
from kelvarn.model.pid import Pid
from kelvarn.units import Quantity, Scale, parse, to_shown, usual_unit

_WIDTH = 118


class FormsField(QWidget):
    """A choice of form, and a line for each of its settings.

    Args:
        form: which one is looked at at first.
        law: the law that is shown, how often it is read in s, and the scale; None where it has gone.
        take: given the law that was typed, and what the edit is called.
        chosen: told the form that is looked at.
    """

    def __init__(
        self, form: str, law: Callable[[], tuple[Pid, float, Scale] | None], take: Callable[[Pid, str], object],
        chosen: Callable[[str], object],
    ) -> None:  # fmt: skip
        super().__init__()
        self._law, self._take, self._chosen = law, take, chosen
        self.box = Choice()
        self.box.setAccessibleName(tell("Form in which the settings are written"))
        for key, each in FORMS.items():
            self.box.addItem(each.words, key)
        self.box.setCurrentIndex(list(FORMS).index(form))
        self.box.activated.connect(lambda _: self._show_form())
        self.lines: list[TypedLine] = []
        self._names: list[PlainLabel] = []
        grid = QGridLayout()
        grid.setVerticalSpacing(3)
        for row in range(3):
            name, line = PlainLabel(), TypedLine()
            line.setFixedWidth(_WIDTH)
            line.editingFinished.connect(lambda row=row: self._typed(row))
            line.textEdited.connect(lambda _: self._say(""))
            grid.addWidget(name, row, 0)
            grid.addWidget(line, row, 1)
            self._names.append(name)
            self.lines.append(line)
        self.fault = small(role="wrong")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self.box)
        layout.addLayout(grid)
        layout.addWidget(self.fault)
        self._say("")
        self.refresh()

    @property
    def form(self) -> Form:
        """The form that is looked at."""
        return FORMS[self.box.currentData()]

    def _show_form(self) -> None:
        self._chosen(self.box.currentData())
        for line in self.lines:
            line.setModified(False)
        self.refresh()

    def refresh(self) -> None:
        """Show the law's settings, but for what is being typed."""
        found = self._law()
        if found is None:
            return
        law, h, scale = found
        form, unit = self.form, usual_unit(Quantity.DIFFERENCE, scale)
        try:
            values, fault = form.read(law, h), ""
        except FormError as error:
            values, fault = (), str(error)
        if any(line.typing or line.wrong for line in self.lines) and not fault:
            return
        for k, (line, name) in enumerate(zip(self.lines, self._names, strict=True)):
            there = k < len(values)
            line.setVisible(there)
            name.setVisible(there)
            if there:
                name.setText(f"{form.names[k]}, {form.units[k].format(unit)}")
                line.setAccessibleName(name.text())
                line.setText(f"{values[k] * _factor(form.per_K[k], scale):.6g}")
                line.setModified(False)
        self._say(fault)

    def _typed(self, row: int) -> None:
        line, found = self.lines[row], self._law()
        if not line.isModified() or found is None:
            return
        law, h, scale = found
        form, text = self.form, line.text().strip()
        quantity = Quantity.DURATION if form.units[row] == "s" else Quantity.NUMBER
        try:
            values = list(form.read(law, h))
            values[row] = parse(text, quantity) / _factor(form.per_K[row], scale)
            made = form.write(law, tuple(values), h)
        except ValueError as error:  # also a FormError
            self._say(str(error))
            line.mark(True)
            return
        line.setModified(False)
        line.mark(False)
        try:
            self._take(made, f"{form.names[row]} {text}, {form.words.partition(':')[0]}")
        except EditError as error:
            self._say(str(error))
        self.refresh()

    def _say(self, sentence: str) -> None:
        if not sentence:
            for line in self.lines:
                line.mark(False)
        self.fault.setText(sentence)
        self.fault.setVisible(bool(sentence))


def _factor(per_K: int, scale: Scale) -> float:
    """What a value of the kelvin scale is multiplied with to be shown."""
    return float(to_shown(1.0, Quantity.DIFFERENCE, scale)) ** per_K
