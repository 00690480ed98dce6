"""The right column beside a file's rows: what is in doubt, with a click for each way, and whether to use it so."""

from collections.abc import Callable, Hashable

from PySide6.QtWidgets import QPushButton

from kelvarn.desktop import theme
from kelvarn.desktop.fields.any import field_for
from kelvarn.desktop.fields.binding import Binding
from kelvarn.desktop.fields.plain import CutLink, heading, small
from kelvarn.desktop.language import tell
from kelvarn.desktop.parts.panel import Panel
from kelvarn.desktop.parts.plain import menu_text
from kelvarn.desktop.state.document import Document
from kelvarn.desktop.state.view import View
from kelvarn.desktop.strip.axis import clock
from kelvarn.fit.calibration import stays_apart_K
from kelvarn.model.log import Log, LogReading
from kelvarn.model.log_data import LogData
from kelvarn.sentence import joined, say
from kelvarn.units import Quantity, show

from .knowledge import Knowledge

_AROUND_S = 120.0  # of a note in the file, that is offered to be left out


class ReadPanel(Panel):
    """See the module.

    Args:
        document, view: where the fields of the reading stand.
        knowledge: what is known.
        log: the log shown, with its place; None without one.
        read_as: takes another reading, with its name.
        confirm: it is right.
        leave_out: leaves a span out: from, to, why.
    """

    def __init__(
        self, document: Document, view: View, knowledge: Knowledge, log: Callable[[], tuple[int, Log] | None],
        read_as: Callable[[LogReading, str], object], confirm: Callable[[], object],
        leave_out: Callable[[float, float, str], object],
    ) -> None:  # fmt: skip
        super().__init__(theme.RIGHT_WIDTH - 60)
        self._document, self._view, self._known, self._log = document, view, knowledge, log
        self._read_as, self._confirm, self._leave_out = read_as, confirm, leave_out
        self.ways: dict[str, QPushButton] = {}
        self.use_button: QPushButton | None = None

    def subject(self) -> Hashable:
        found = self._log()
        if found is None:
            return None
        place, log = found
        return place, log.raw, log.reading, log.confirmed, log.left_out, id(self._known.data(log))

    def fill(self) -> None:
        found = self._log()
        self.ways, self.use_button = {}, None
        if found is None:
            self.add(small(tell("Open a log, paste one, or drop a file on the window.")))
            return
        place, log = found
        look, data = self._known.look(log), self._known.data(log)
        if isinstance(look, str):
            self.add(small(look, "wrong"))
            return
        if isinstance(data, str):
            self.add(small(data, "wrong"))
        doubts = () if log.confirmed else look.guess.doubts
        for doubt in doubts:
            self.add(
                heading(tell("Column {column}", column=doubt.column + 1) if doubt.column >= 0 else tell("The file")), 4
            )
            self.add(small(doubt.text, "gold"))
            for label, reading in doubt.choices:
                way = QPushButton(menu_text(label))
                way.setProperty("chip", True)
                way.setCheckable(True)
                way.setChecked(reading == log.reading)
                way.clicked.connect(
                    lambda _=False, r=reading, w=label: self._read_as(r, tell("read as {what}", what=w))
                )
                self.add(way)
                self.ways[label] = way
        if not doubts:
            self.add(
                small(tell("Nothing is in doubt.") if not log.confirmed else tell("You have looked at it."), "met")
            )
        self._fields(place, log)
        self._beside(data)
        if not log.confirmed:
            self.use_button = QPushButton(tell("Use this log"))
            self.use_button.setProperty("main", True)
            self.use_button.clicked.connect(lambda: self._confirm())
            self.add(self.use_button, 10)
            self.add(small(tell("reading it this way is kept with the log, and offered for the next file like it")))
        self.add(heading(tell("Why this reading")), 8)
        for k, (column, why) in enumerate(zip(look.guess.reading.columns, look.guess.why, strict=True)):
            self.add(small(joined(": ", (column.name or say("column {number}", number=k + 1), why)), ""))
        self._said(log, data)

    def _fields(self, place: int, log: Log) -> None:
        """What cannot be seen in the file: interval, full power, the converter of raw counts."""
        path = ("logs", place, "reading")
        forms, roles = {c.form for c in log.reading.columns}, {c.role for c in log.reading.columns}
        wanted: list[tuple[str | int, ...]] = []
        if "time" not in roles:
            wanted.append((*path, "interval_s"))
        if "watts" in forms:
            wanted.append((*path, "full_W"))
        if "counts" in forms:
            wanted += [(*path, "full_counts"), (*path, "falls")]
            wanted += [(*path, "converter", name) for name in ("ohm_at_25_degC", "beta_K", "fixed_ohm")]
        for each in wanted:
            self.add(field_for(Binding(self._document, self._view, each), self._document.project.rig), 2)

    def _beside(self, data: LogData | str | None) -> None:
        """Say where another temperature stays beside the one that is fitted."""
        if not isinstance(data, LogData):
            return
        others = {**data.others_degC, **({} if data.reference_degC is None else {"the reference": data.reference_degC})}
        for name, values in others.items():
            by = stays_apart_K(data.measured_degC, values)
            if by is not None:
                side = tell("above" if by > 0 else "below")
                text = show(abs(by), Quantity.DIFFERENCE, self._view.scale)
                self.add(
                    small(
                        tell(
                            "{name} stays {far} {side}: take it as the reference, and calibrate by it?",
                            name=name,
                            far=text,
                            side=side,
                        ),
                        "gold",
                    ),
                    6,
                )

    def _said(self, log: Log, data: LogData | str | None) -> None:
        """What the file says of moments, each to be left out at a click."""
        if not isinstance(data, LogData) or not data.said:
            return
        self.add(heading(tell("The file says")), 8)
        for at_s, text in data.said[:6]:
            out = any(span.from_s <= at_s <= span.to_s for span in log.left_out)
            if out:
                self.add(small(tell("“{note}” at {clock}: left out", note=text, clock=clock(at_s, 60)), "muted"))
                continue
            again = CutLink(
                tell("“{note}” at {clock}: leave 2 min out", note=text, clock=clock(at_s, 60)),
                tell("Leave two minutes from there out of the fit"),
            )
            again.clicked.connect(lambda _=False, t=at_s, w=text: self._leave_out(t, t + _AROUND_S, w))
            self.add(again)
