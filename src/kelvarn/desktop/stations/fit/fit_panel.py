"""The right column beside a log: which model, its values with their ranges, what is worth knowing, use in rig."""

from collections.abc import Callable, Hashable, Sequence

from PySide6.QtWidgets import QCheckBox, QFrame, QGridLayout, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from kelvarn.desktop import theme
from kelvarn.desktop.fields.plain import heading, link, small
from kelvarn.desktop.language import tell
from kelvarn.desktop.parts.panel import Panel
from kelvarn.desktop.parts.plain import PlainLabel, menu_text
from kelvarn.fit.design import KINDS
from kelvarn.fit.least_squares import Estimate
from kelvarn.fit.response import ResponseFit
from kelvarn.fit.rig_fit import choosable
from kelvarn.fit.trust import ENOUGH, FitReport, holds, two_points
from kelvarn.model.edit import quantity_at
from kelvarn.model.log import KeptFit
from kelvarn.model.project import Project
from kelvarn.sentence import joined, say
from kelvarn.units import Quantity, Scale, show, three_figures

from .knowledge import Knowledge, RigReport, WantedFit

SAID: dict[str, tuple[str, Quantity, str]] = {
    "gain_K": (say("Gain"), Quantity.DIFFERENCE, say(" at full drive")),
    "rise_K_per_s": (say("Rise"), Quantity.RAMP, say(" at full drive")),
    "lag_s": (say("Lag"), Quantity.DURATION, ""),
    "lag2_s": (say("Second lag"), Quantity.DURATION, ""),
    "dead_time_s": (say("Dead time"), Quantity.DURATION, ""),
}
"""Values of a response: title, quantity, and what is said after them."""


def value_row(title: str, text: str, below: str = "", role: str = "") -> QWidget:
    """A title, a value in bold at the right, and its range below it."""
    row = QWidget()
    grid = QGridLayout(row)
    grid.setContentsMargins(0, 1, 0, 1)
    grid.setVerticalSpacing(0)
    name = PlainLabel(title)
    name.setWordWrap(True)
    value = PlainLabel(text)
    value.setFont(theme.font(bold=True))
    value.setProperty("role", role)
    grid.addWidget(name, 0, 0)
    grid.addWidget(value, 0, 1)
    grid.setColumnStretch(0, 1)
    if below:
        under = small(below)
        under.setWordWrap(False)
        grid.addWidget(under, 1, 0, 1, 2)
    row.setAccessibleName(tell(joined(" ", [each for each in (title, text, below) if each])))
    return row


def rule() -> QFrame:
    """A thin line."""
    line = QFrame()
    line.setProperty("rule", True)
    line.setFixedHeight(1)
    return line


def worth_knowing(texts: Sequence[str]) -> QFrame:
    """A framed box with sentences."""
    box = QFrame()
    box.setProperty("card", True)
    column = QVBoxLayout(box)
    column.setContentsMargins(10, 8, 10, 8)
    column.setSpacing(5)
    column.addWidget(small(tell("Worth knowing"), "gold", bold=True))
    for text in texts:
        column.addWidget(small(text, ""))
    return box


class FitPanel(Panel):
    """See the module.

    Args:
        knowledge: what is known.
        project: the project now.
        scale: what temperatures are shown in.
        want: asks for another fit.
        use: lets the rig be what was found.
    """

    def __init__(
        self, knowledge: Knowledge, project: Callable[[], Project], scale: Callable[[], Scale],
        want: Callable[[WantedFit], object], use: Callable[[], object],
    ) -> None:  # fmt: skip
        super().__init__(theme.RIGHT_WIDTH - 60)
        self._known, self._project, self._scale, self._want, self._use = knowledge, project, scale, want, use
        self.wanted = WantedFit()
        self.chips: dict[str, QPushButton] = {}
        self.use_button: QPushButton | None = None
        self.free: dict[str, QCheckBox] = {}
        self._folded = True

    def subject(self) -> Hashable:
        found, project = self._known.fitted, self._project()
        rig = project.rig if self.wanted.kind == "rig" else None
        known = (id(found), self._known.fault, self._known.fitting)
        return (*known, self.wanted, self._scale(), project.fits, self._folded, rig)

    def fill(self) -> None:
        found = self._known.fitted
        self.add(heading(tell("Model")))
        self.add(self._kinds(found))
        if self._known.fitting:
            row = QHBoxLayout()
            row.setContentsMargins(0, 0, 0, 0)
            row.addWidget(
                small(tell("fitting …") if found is None else tell("fitting …; below stands what was before"), "gold"),
                1,
            )
            row.addWidget(link(tell("stop"), self._known.stop, tell("Stop fitting")))
            holder = QWidget()
            holder.setLayout(row)
            self.add(holder)
        if self._known.fault:
            self.add(small(self._known.fault, "wrong"), 6)
        elif found is None:
            if not self._known.fitting:
                self.add(small(tell("Open a log, or drop a file on the window.")), 6)
        elif isinstance(found, RigReport):
            self._rig(found)
        else:
            self._response(found)
        if self.wanted.kind == "rig":
            self._choose_free()
        else:
            robust = QCheckBox(tell("Outliers count less"))
            robust.setChecked(self.wanted.robust)
            robust.setToolTip(tell("Huber's weights: what lies far off pulls no harder than what lies a little off"))
            robust.clicked.connect(lambda on: self._ask(robust=on))
            self.add(robust, 6)
        self._kept()

    def _kinds(self, found: FitReport | RigReport | None) -> QWidget:
        row = QWidget()
        grid = QGridLayout(row)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setSpacing(5)
        self.chips = {}
        shown = "rig" if isinstance(found, RigReport) else found.fit.kind if found is not None else self.wanted.kind
        for place, (kind, title) in enumerate([*KINDS.items(), ("rig", tell("The rig"))]):
            chip = QPushButton(tell(title))
            chip.setCheckable(True)
            chip.setProperty("chip", True)
            chip.setChecked(kind == shown)
            chip.clicked.connect(lambda _=False, kind=kind: self._ask(kind=kind))
            grid.addWidget(chip, place // 2, place % 2)
            self.chips[kind] = chip
        return row

    def _ask(self, **changed: object) -> None:
        kept = {"kind": self.wanted.kind, "robust": self.wanted.robust, "held": self.wanted.held}
        self.wanted = WantedFit(**{**kept, **changed})  # type: ignore[arg-type]
        self._want(self.wanted)

    def _response(self, found: FitReport) -> None:
        fit, scale = found.fit, self._scale()
        for name, value in fit.values.items():
            title, quantity, after = SAID[name]
            self.add(
                value_row(
                    tell(title), joined("", (show(value.value, quantity, scale), after)), _range(value, quantity, scale)
                )
            )
        log = fit.logs[0]
        if fit.kind != "integrating":
            known = log.log.outside_s is not None
            quantity = Quantity.DIFFERENCE if known else Quantity.TEMPERATURE
            title = tell("Rest, above surroundings") if known else tell("Rest temperature")
            rest = log.rest_degC
            self.add(value_row(title, show(rest.value, quantity, scale), _range(rest, quantity, scale)))
        if log.drift_K_per_h is not None:
            self.add(value_row(tell("It drifts by"), f"{log.drift_K_per_h.value:.2g} K/h"))
        self.add(rule())
        self._misses(fit.rms_K, fit.worst_K)
        for check in found.checks:
            good = holds(check, fit.rms_K)
            text = tell("{rms} rms", rms=show(check.rms_K, Quantity.DIFFERENCE, scale)) + (
                tell(": holds") if good else ""
            )
            self.add(value_row(tell("On {log}", log=check.log.name), text, "", "met" if good else "wrong"))
        for kind, other in found.others.items():
            better = found.prefers == kind
            text = tell("{rms} rms", rms=show(other.rms_K, Quantity.DIFFERENCE, scale)) + (
                tell(", preferred") if better else ""
            )
            self.add(value_row(tell("{kinds} instead", kinds=KINDS[kind]), text, "", "gold" if better else "muted"))
        if found.seen is not None:
            role = "met" if found.seen >= ENOUGH else "gold"
            self.add(value_row(tell("Seen of the final value"), f"{100 * found.seen:.0f} %", "", role))
        quick = two_points(log.log)
        if quick is not None:
            parts = (show(quick.gain_K, Quantity.DIFFERENCE, scale), show(quick.lag_s, Quantity.DURATION),
                     show(quick.dead_time_s, Quantity.DURATION))  # fmt: skip
            self.add(value_row(tell("By two points (28 %, 63 %)"), "", "gain {}, lag {}, dead time {}".format(*parts)))
        row = value_row(tell("Residuals correlated"), f"{100 * max(fit.autocorrelation, 0.0):.0f} %")
        row.setToolTip(tell("Correlation of the residuals from one row to the next: 0 % is pure noise"))
        self.add(row)
        self._end(found.warnings(scale), self._writes(fit))

    def _writes(self, fit: ResponseFit) -> str:
        bodies = self._project().rig.response is None
        text = tell("writes {number} values, and their ranges as tolerances", number=len(fit.values))
        return (
            tell("{writes}; this response then stands in place of the bodies and links", writes=text)
            if bodies
            else text
        )

    def _rig(self, found: RigReport) -> None:
        fit, scale = found.fit, self._scale()
        for p, value, told in zip(fit.free, fit.values, fit.told, strict=True):
            if told > 0.85:
                continue
            quantity = quantity_at(self._project().rig, p.path)
            text = show(value.value, quantity, scale)
            self.add(
                value_row(
                    p.text,
                    text,
                    tell(
                        "{range}; was {was}", range=_range(value, quantity, scale), was=show(p.value, quantity, scale)
                    ),
                )
            )
        silent = [p.text for p, told in zip(fit.free, fit.told, strict=True) if told > 0.85]
        if silent:
            self.add(small(tell("The log says nothing of: {silent}.", silent=", ".join(silent))), 4)
        self.add(rule())
        self._misses(fit.rms_K, fit.worst_K)
        for check in found.checks:
            miss = tell("{rms} rms", rms=show(check.rms_K, Quantity.DIFFERENCE, scale))
            self.add(
                value_row(tell("On {log}", log=check.log.name), miss, "", "met" if holds(check, fit.rms_K) else "gold")
            )
        self._end(
            rig_warnings(fit.alike, fit.beyond),
            tell("writes {number} values, and their ranges as tolerances", number=len(fit.values)),
        )

    def _misses(self, rms_K: float, worst_K: float) -> None:
        scale = self._scale()
        text = tell("{rms} rms", rms=show(rms_K, Quantity.DIFFERENCE, scale))
        self.add(
            value_row(
                tell("Misses by"), text, tell("{worst} at worst", worst=show(worst_K, Quantity.DIFFERENCE, scale))
            )
        )

    def _end(self, warnings: Sequence[str], writes: str) -> None:
        if warnings:
            self.add(worth_knowing(warnings), 6)
        self.use_button = QPushButton(tell("Use in rig"))
        self.use_button.setProperty("main", True)
        self.use_button.clicked.connect(lambda: self._use())
        self.add(self.use_button, 8)
        self.add(small(writes))

    def _choose_free(self) -> None:
        """Which values of the rig are free."""
        row = QHBoxLayout()
        row.addWidget(small(tell("Values to fit"), bold=True), 1)
        row.addWidget(
            link(
                tell("choose" if self._folded else "fold"), self._fold, tell("Choose which values of the rig are free")
            )
        )
        holder = QWidget()
        holder.setLayout(row)
        self.add(holder, 8)
        self.free = {}
        for p in choosable(self._project().rig) if not self._folded else ():
            box = QCheckBox(menu_text(p.text))
            box.setChecked(p.text not in self.wanted.held)
            box.clicked.connect(lambda on, text=p.text: self._hold(text, free=on))
            self.add(box)
            self.free[p.text] = box

    def _fold(self) -> None:
        self._folded = not self._folded
        self.refresh()

    def _hold(self, text: str, *, free: bool) -> None:
        held = self.wanted.held - {text} if free else self.wanted.held | {text}
        self._ask(held=held)

    def _kept(self) -> None:
        """The models that were used, to be compared."""
        kept = self._project().fits
        if not kept:
            return
        self.add(small(tell("Used so far"), bold=True), 10)
        for fit in kept[-3:]:
            self.add(small(joined(": ", (fit.name, kept_text(fit, self._scale())))))


def rig_warnings(alike: tuple[tuple[str, str], ...], beyond: tuple[str, ...]) -> tuple[str, ...]:
    """What is worth knowing of a fitted rig."""
    found = [
        tell("“{a}” and “{b}” act alike in this log: only both together are told.", a=a, b=b) for a, b in alike[:2]
    ]
    if beyond:
        named = ", ".join(f"“{text}”" for text in beyond[:3])
        found.append(
            tell("{named} moved beyond the tolerance: look whether something is missing in the rig.", named=named)
        )
    return tuple(found)


def kept_text(fit: KeptFit, scale: Scale) -> str:
    """A kept fit in a line."""
    parts = []
    for value in fit.values[:3]:
        if value.what in SAID:
            title, quantity, _ = SAID[value.what]
            parts.append(f"{title.lower()} {show(value.value, quantity, scale)}")
        else:
            parts.append(f"{value.what} {three_figures(value.value)}")
    return tell("{values}; {rms} rms", values=", ".join(parts), rms=show(fit.rms_K, Quantity.DIFFERENCE, scale))


def _range(value: Estimate, quantity: Quantity, scale: Scale) -> str:
    low, high = show(value.low, quantity, scale), show(value.high, quantity, scale)
    return tell("95 %: {low} … {high}", low=low, high=high)
