"""Calibrate the probe: pairs of what it shows and what is true, what makes one of the other, and what is left over."""

from collections.abc import Callable

from PySide6.QtWidgets import QHBoxLayout, QPushButton, QTableWidget, QTableWidgetItem, QVBoxLayout, QWidget

from kelvarn.desktop import theme
from kelvarn.desktop.fields.plain import Choice, heading, link, small
from kelvarn.desktop.language import number_heard, tell, told
from kelvarn.fit.calibration import Calibrated, How, Pair, Thermistor, calibrate, pairs_of, thermistor
from kelvarn.fit.observed import FitError
from kelvarn.model.log_data import LogData
from kelvarn.model.probes import Correction
from kelvarn.sentence import figures, say
from kelvarn.units import Quantity, Scale, parse, show

_HOWS: dict[How, str] = {
    "offset": say("offset alone"),
    "two_point": say("two outer points"),
    "slope": say("line through all"),
}
_ROWS = 8
_POINTS = 3


class CalibrateView(QWidget):
    """See the module.

    Args:
        scale: what temperatures are typed and shown in.
        data: the log shown, where there is one with a reference beside the temperature.
        use: takes a correction for the probe.
        use_ntc: takes a thermistor for the probe's converter.
        convert: what the probe's converter makes of a raw count, degC; None where it has none.
    """

    def __init__(
        self, scale: Callable[[], Scale], data: Callable[[], LogData | None],
        use: Callable[[Correction], object], use_ntc: Callable[[Thermistor], object],
        convert: Callable[[float], float | None],
    ) -> None:  # fmt: skip
        super().__init__()
        self._scale, self._data, self._use, self._use_ntc, self._convert = scale, data, use, use_ntc, convert
        self._filling = False
        self.found: Calibrated | None = None
        self.ntc: Thermistor | None = None
        self.pairs = _grid(
            [tell("Raw count"), tell("Probe shows"), tell("True"), tell("Corrected"), tell("Residual")],
            _ROWS,
            tell("Pairs of reading and reference"),
        )
        self.pairs.cellChanged.connect(lambda *_: self._changed())
        self.how = Choice()
        self.how.setAccessibleName(tell("What makes the truth of a reading"))
        for how, title in _HOWS.items():
            self.how.addItem(tell(title), how)
        self.how.setCurrentIndex(1)
        self.how.activated.connect(lambda _: self._changed())
        self.says = small("", "")
        self.use_button = QPushButton(tell("Use in the probe"))
        self.use_button.setProperty("main", True)
        self.use_button.clicked.connect(self._take)
        self.points = _grid(
            [tell("Temperature"), tell("Resistance, Ω"), tell("Residual")], _POINTS, tell("Points of a thermistor")
        )
        self.points.cellChanged.connect(lambda *_: self._changed())
        self.ntc_says = small("", "")
        self.ntc_button = QPushButton(tell("Use in the converter"))
        self.ntc_button.clicked.connect(lambda: self.ntc is not None and self._use_ntc(self.ntc))
        self._lay_out()
        self._changed()

    def _lay_out(self) -> None:
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, theme.GAP, 0)
        top = QHBoxLayout()
        top.addWidget(heading(tell("Calibrate the probe")), 1)
        self.from_log = link(
            tell("pairs from this log"), self._fill_from_log, tell("Means of the stillest stretches of the log shown")
        )
        top.addWidget(self.from_log)
        layout.addLayout(top)
        layout.addWidget(small(tell("Type what the probe shows and what a trusted thermometer shows, cold and warm.")))
        layout.addWidget(self.pairs, 2)
        row = QHBoxLayout()
        row.addWidget(self.how)
        row.addWidget(self.says, 1)
        row.addWidget(self.use_button)
        layout.addLayout(row)
        layout.addSpacing(10)
        layout.addWidget(heading(tell("A thermistor from three points")))
        layout.addWidget(self.points, 1)
        row = QHBoxLayout()
        row.addWidget(self.ntc_says, 1)
        row.addWidget(self.ntc_button)
        layout.addLayout(row)

    def refresh(self) -> None:
        """Show what depends on the log shown."""
        data = self._data()
        self.from_log.setVisible(data is not None and data.reference_degC is not None)

    def _fill_from_log(self) -> None:
        data = self._data()
        if data is None or data.reference_degC is None:
            return
        self._filling = True
        for row in range(_ROWS):
            for column in range(3):
                self.pairs.setItem(row, column, QTableWidgetItem(""))
        pairs = pairs_of(data.measured_degC, data.reference_degC)
        for row, pair in enumerate(pairs[:_ROWS]):
            for column, value in ((1, pair.shown_degC), (2, pair.true_degC)):
                self.pairs.setItem(
                    row, column, QTableWidgetItem(told(show(value, Quantity.TEMPERATURE, self._scale(), exact=True)))
                )
        self._filling = False
        self._changed()

    def _number(self, table: QTableWidget, row: int, column: int, quantity: Quantity) -> float | None:
        """What is typed in a field; None where it is empty. A field that cannot be read is said."""
        item = table.item(row, column)
        text = "" if item is None else item.text().strip()
        if not text:
            return None
        try:
            value = parse(number_heard(text), quantity, self._scale())
        except ValueError as error:
            if item is not None:
                item.setToolTip(str(error))
            raise FitError(say("Row {row}: {error}", row=row + 1, error=error)) from error
        return value

    def _changed(self) -> None:
        if self._filling:
            return
        self._filling = True
        try:
            self._pairs()
            self._thermistor()
        finally:
            self._filling = False

    def _pairs(self) -> None:
        self.found, pairs, rows = None, [], []
        try:
            for row in range(_ROWS):
                count = self._number(self.pairs, row, 0, Quantity.NUMBER)
                if count is not None:
                    self._converted(row, count)
                shown = self._number(self.pairs, row, 1, Quantity.TEMPERATURE)
                true = self._number(self.pairs, row, 2, Quantity.TEMPERATURE)
                if shown is not None and true is not None:
                    pairs.append(Pair(shown, true))
                    rows.append(row)
            self.found = calibrate(pairs, self.how.currentData()) if pairs else None
            self._say(self._words())
        except FitError as error:
            self._say(str(error), "wrong")
        for row in range(_ROWS):
            texts = ("", "")
            if self.found is not None and row in rows:
                k = rows.index(row)
                corrected = self.found.corrected_degC(pairs[k].shown_degC)
                texts = (show(corrected, Quantity.TEMPERATURE, self._scale()),
                         show(self.found.left_K[k], Quantity.DIFFERENCE, self._scale()))  # fmt: skip
            for column, text in zip((3, 4), texts, strict=True):
                self.pairs.setItem(row, column, QTableWidgetItem(told(text)))
        self.use_button.setEnabled(self.found is not None)

    def _converted(self, row: int, count: float) -> None:
        """Put what the probe's converter makes of a raw count beside it."""
        degC = self._convert(count)
        text = "" if degC is None else show(degC, Quantity.TEMPERATURE, self._scale(), exact=True)
        self.pairs.setItem(row, 1, QTableWidgetItem(told(text)))

    def _words(self) -> str:
        found, scale = self.found, self._scale()
        if found is None:
            return tell("No pair yet.")
        by = show(found.true0_degC - found.shown0_degC, Quantity.DIFFERENCE, scale)
        text = (
            tell("{by} more", by=by)
            if found.how == "offset"
            else tell(
                "× {slope}, and {by} more at {shown0}",
                slope=figures(f"{found.slope:.4g}", ""),
                by=by,
                shown0=show(found.shown0_degC, Quantity.TEMPERATURE, scale),
            )
        )
        return tell("true = shown {correction}; {worst} residual at most", correction=text,
                    worst=show(found.worst_K, Quantity.DIFFERENCE, scale))  # fmt: skip

    def _say(self, text: str, role: str = "") -> None:
        self.says.setProperty("role", role)
        self.says.style().polish(self.says)
        self.says.setText(text)

    def _thermistor(self) -> None:
        self.ntc, points, rows = None, [], []
        try:
            for row in range(_POINTS):
                degC = self._number(self.points, row, 0, Quantity.TEMPERATURE)
                ohm = self._number(self.points, row, 1, Quantity.RESISTANCE)
                if degC is not None and ohm is not None:
                    points.append((degC, ohm))
                    rows.append(row)
            self.ntc = thermistor(points) if points else None
            text = (
                ""
                if self.ntc is None
                else tell(
                    "{ohm} at 25 °C, Beta {beta} K",
                    ohm=show(self.ntc.ohm_at_25_degC, Quantity.RESISTANCE),
                    beta=figures(f"{self.ntc.beta_K:.0f}", ""),
                )
            )
            self.ntc_says.setText(
                text or tell("Type temperature and resistance: in ice water, in the room, in hot water.")
            )
        except FitError as error:
            self.ntc_says.setText(str(error))
        for row in range(_POINTS):
            text = ""
            if self.ntc is not None and row in rows:
                text = show(self.ntc.left_K[rows.index(row)], Quantity.DIFFERENCE, self._scale())
            self.points.setItem(row, 2, QTableWidgetItem(told(text)))
        self.ntc_button.setEnabled(self.ntc is not None)

    def _take(self) -> None:
        if self.found is None:
            return
        shown = [self._number(self.pairs, row, 1, Quantity.TEMPERATURE) for row in range(_ROWS)]
        known = [value for value in shown if value is not None]
        low, high = min(known), max(known)
        self._use(self.found.correction(low, high if high - low > 1 else low + 50.0))


def _grid(titles: list[str], rows: int, name: str) -> QTableWidget:
    table = QTableWidget(rows, len(titles))
    table.setHorizontalHeaderLabels(titles)
    table.setAccessibleName(name)
    table.setTabKeyNavigation(False)
    table.horizontalHeader().setStretchLastSection(True)
    table.setColumnWidth(0, 120)
    table.setMinimumHeight(90)
    table.setFont(theme.font())
    return table
