"""The left column below the link: the first hour or who controls, the settings on the device, its guards."""

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QButtonGroup, QGridLayout, QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from kelvarn.desktop import theme
from kelvarn.desktop.fields.plain import heading, small
from kelvarn.desktop.language import tell
from kelvarn.desktop.parts.plain import PlainLabel, clear
from kelvarn.desktop.parts.target import Target
from kelvarn.desktop.parts.texts import elided
from kelvarn.handover.points import Mode, points_of
from kelvarn.link.bench.first_hour import STEPS
from kelvarn.link.bench.session import Session
from kelvarn.link.lines import TalkPoint
from kelvarn.model.guards import Alarm, CutOff
from kelvarn.sentence import Joined, figures, joined, say, say_counted
from kelvarn.words.live import MODE_WORDS

from .work import Bench

_STALE_S = 20.0
_USUAL = say("Kelvarn watches, and may stop it")


class WhoPanel(QWidget):
    """Who controls."""

    def __init__(self, bench: Bench, say: Callable[[str], None]) -> None:
        super().__init__()
        self._bench, self._say = bench, say
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addWidget(heading(tell("Who controls?")))
        group = QButtonGroup(self)
        self.buttons: dict[str, Target] = {}
        for key, title, line in (
            ("own", tell("The device"), _USUAL), ("hand", tell("By hand"), tell("you set the drive")),
            ("watch", tell("Nobody may: watch only"), tell("also from another computer")),
        ):  # fmt: skip
            button = Target(title, line)
            button.clicked.connect(lambda _=False, k=key: self._choose(k))
            group.addButton(button)
            column.addWidget(button)
            self.buttons[key] = button

    def _choose(self, key: str) -> None:
        session = self._bench.session
        if session is None:
            return
        session.watch_only = key == "watch"
        if key == "own":
            session.orders.release_all()
            self._say(session.order("mode own"))
        elif key == "hand":
            self._say(session.order("mode hand"))

    def refresh(self) -> None:
        """Show who does."""
        session = self._bench.session
        self.setEnabled(session is not None)
        last = None if session is None else session.last
        key = "own"
        if session is not None and session.watch_only:
            key = "watch"
        elif last is not None and last.mode == Mode.HAND:
            key = "hand"
        self.buttons[key].setChecked(True)
        self.buttons["own"].say(
            tell(_USUAL) if last is None or last.mode in (Mode.OWN, Mode.HAND) else MODE_WORDS[last.mode]
        )


class DevicePanel(QWidget):
    """The settings that are on the device, edited here and sent; and its guards."""

    def __init__(self, bench: Bench, say: Callable[[str], None]) -> None:
        super().__init__()
        self._bench, self._say = bench, say
        self._shown: object = None
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(4)
        self._values: dict[str, QLineEdit] = {}
        self._marks: dict[str, PlainLabel] = {}
        self._guards: list[tuple[int, PlainLabel]] = []
        self._extras: dict[str, PlainLabel] = {}
        self._new_buttons()

    def _new_buttons(self) -> None:
        """Those of a device without settings are not seen, and those of the one before have gone with it."""
        self.send, self.back, self.changed = QPushButton(tell("Send")), QPushButton(tell("Take back")), small("")

    def refresh(self) -> None:
        """Show what is on the device."""
        session = self._bench.session
        names = () if session is None else tuple(point.name for point in session.settings)
        extras = () if session is None else session.listener.extras
        subject = (id(session), names, extras, session is not None and session.is_ours)
        if subject != self._shown:
            self._shown = subject
            self._build(session)
        if session is None:
            return
        for name, edit in self._values.items():
            value = session.listener.values.get(name)
            edited = self._bench.at.edits.get(name)
            known = value.value if value is not None and value.value is not None else None
            if not edit.hasFocus():
                shown = edited if edited is not None else known
                edit.setText("" if shown is None else f"{shown:.6g}")
            self._marks[name].setText(
                tell("{known} there", known=figures(f"{known:.6g}", ""))
                if edited is not None and known is not None
                else ""
            )
        count = len(self._bench.at.edits)
        self.send.setText(
            tell(say_counted("Send {count} change", "Send {count} changes", count)) if count else tell("Send")
        )
        self.send.setEnabled(bool(count))
        self.back.setEnabled(bool(count))
        self.changed.setText(session.changed_there or tell("changed at the device itself: nothing"))
        last = session.last
        for place, label in self._guards:
            is_on = last is not None and bool(last.tripped >> place & 1)
            _say(label, tell("tripped") if is_on else tell("armed"), good=not is_on)
        for point in session.listener.extras:
            if point.name in self._extras:
                text, good = _extra_text(session, point)
                _say(self._extras[point.name], text, good=good)

    def _build(self, session: Session | None) -> None:
        clear(self._column)
        self._new_buttons()
        self._values, self._marks, self._guards, self._extras = {}, {}, [], {}
        if session is None:
            return
        self._column.addWidget(heading(tell("On the device")))
        if not session.settings:
            said = small(tell("No setting stays adjustable: choose some at Handover, and hand the program over."))
            said.setWordWrap(True)
            self._column.addWidget(said)
        else:
            self._add_settings(session)
        self._column.addSpacing(8)
        self._column.addWidget(heading(tell("Guards")))
        self._add_guards(session)
        if session.listener.extras:
            self._column.addSpacing(8)
            self._column.addWidget(heading(tell("Also measured there")))
            for point in session.listener.extras:
                label = PlainLabel()
                label.setWordWrap(True)
                label.setToolTip(tell("{range} is in order", range=_range_of(point)))
                self._column.addWidget(label)
                self._extras[point.name] = label

    def _add_settings(self, session: Session) -> None:
        box = QWidget()
        grid = QGridLayout(box)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setVerticalSpacing(2)
        known = {point.name for point in points_of(session.carried).settings} if session.is_ours else set()
        for row, point in enumerate(session.settings):
            edit = QLineEdit()
            edit.setProperty("plain", True)
            edit.setAlignment(Qt.AlignmentFlag.AlignRight)
            edit.setAccessibleName(point.name)
            step = figures(f"{point.step:g}", "")
            edit.setToolTip(tell("{range}, steps of {step}", range=_range_of(point), step=step))
            edit.setReadOnly(point.name not in known)
            edit.editingFinished.connect(lambda n=point.name, e=edit: self._edited(n, e))
            mark = small("", "gold")
            grid.addWidget(PlainLabel(point.name), row, 0)
            grid.addWidget(edit, row, 1)
            grid.addWidget(small(point.unit if point.unit != "-" else ""), row, 2)
            grid.addWidget(mark, row, 3)
            self._values[point.name], self._marks[point.name] = edit, mark
        self._column.addWidget(box)
        row_box = QWidget()
        buttons = QHBoxLayout(row_box)
        buttons.setContentsMargins(0, 0, 0, 0)
        self.send.setProperty("main", True)
        self.send.clicked.connect(lambda: self._say(self._bench.send()))
        self.back.clicked.connect(self._take_back)
        buttons.addWidget(self.send)
        buttons.addWidget(self.back)
        buttons.addStretch(1)
        self._column.addWidget(row_box)
        self.changed.setWordWrap(True)
        self._column.addWidget(self.changed)

    def _take_back(self) -> None:
        self._bench.at.edits.clear()
        self.refresh()

    def _edited(self, name: str, edit: QLineEdit) -> None:
        session = self._bench.session
        if session is None:
            return
        point = next(each for each in session.settings if each.name == name)
        value = session.listener.values.get(name)
        try:
            number = float(edit.text().replace(",", "."))
        except ValueError:
            self._say(tell("{name}: “{edit}” is no number.", name=name, edit=edit.text()))
            return
        if not point.low <= number <= point.high:
            low, high = figures(f"{point.low:g}", ""), figures(f"{point.high:g}", point.unit)
            self._say(tell("{name} can be from {low} to {high}.", name=name, low=low, high=high))
            return
        if value is not None and value.value is not None and f"{number:.6g}" == f"{value.value:.6g}":
            self._bench.at.edits.pop(name, None)
        else:
            self._bench.at.edits[name] = number
        self.refresh()

    def _add_guards(self, session: Session) -> None:
        box = QWidget()
        grid = QGridLayout(box)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setVerticalSpacing(2)
        for place, guard in enumerate(session.carried.project.rig.guards):
            if isinstance(guard, Alarm):
                continue
            name = PlainLabel(guard.name)
            name.setWordWrap(True)
            state = PlainLabel(tell("hardware") if isinstance(guard, CutOff) else tell("armed"))
            state.setFont(theme.font(bold=True))
            state.setProperty("role", "met")
            state.setAlignment(Qt.AlignmentFlag.AlignRight)
            grid.addWidget(name, place, 0)
            grid.addWidget(state, place, 1)
            if not isinstance(guard, CutOff):
                self._guards.append((place, state))
        grid.setColumnStretch(0, 1)
        self._column.addWidget(box)
        if not session.carried.project.rig.guards:
            said = small(tell("None: nothing but this program would end it."), "wrong")
            said.setWordWrap(True)
            self._column.addWidget(said)


def _range_of(point: TalkPoint) -> Joined:
    """What a point may be, with its unit."""
    return joined(" … ", (figures(f"{point.low:g}", ""), figures(f"{point.high:g}", point.unit)))


def _extra_text(session: Session, point: TalkPoint) -> tuple[str, bool]:
    """What a device measures besides, with its age where it is stale; and whether it is within what its point says."""
    value, age_s = session.listener.values.get(point.name), session.listener.age_s(point.name)
    if value is None or value.value is None or age_s is None:
        return tell("{point}: no value", point=point.name), False
    old = tell(", {age} s old", age=figures(f"{age_s:.0f}", "")) if age_s > _STALE_S else ""
    unit = "" if point.unit == "-" else f" {point.unit}"
    is_within = point.low <= value.value <= point.high
    beyond = (
        ""
        if is_within
        else tell(
            ", beyond {low}{unit}",
            low=figures(f"{point.low if value.value < point.low else point.high:g}", ""),
            unit=unit,
        )
    )
    return f"{point.name}: {value.value:.6g}{unit}{beyond}{old}", is_within and not old


def _say(label: PlainLabel, text: str, *, good: bool) -> None:
    """Say something that is in order, or not."""
    label.setText(text)
    label.setProperty("role", "met" if good else "wrong")
    label.style().unpolish(label)
    label.style().polish(label)


class StepList(QWidget):
    """The steps of the first hour."""

    def __init__(self, bench: Bench, choose: Callable[[str], None]) -> None:
        super().__init__()
        self._bench = bench
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(5)
        column.addWidget(heading(tell("The first hour")))
        group = QButtonGroup(self)
        self.buttons: dict[str, Target] = {}
        for step in STEPS:
            button = Target(step.title, step.short)
            button.setMinimumHeight(48)
            button.setToolTip(tell(step.asks))
            button.clicked.connect(lambda _=False, k=step.key: choose(k))
            group.addButton(button)
            column.addWidget(button)
            self.buttons[step.key] = button
        said = small(tell("Nothing here heats by itself. Each step asks, acts, and is off again."))
        said.setWordWrap(True)
        column.addWidget(said)

    def refresh(self) -> None:
        """Show what is done."""
        hour = self._bench.at.first_hour
        for step in STEPS:
            found = "" if hour is None else hour.done.get(step.key, "")
            button = self.buttons[step.key]
            button.say(
                elided(joined(" ", ("✓", found)) if found else step.short, max(button.width() - 24, 120), "small")
            )
            if hour is not None:
                button.setChecked(hour.current == step.key)
