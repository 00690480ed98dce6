"""The right column beside a log: which model, its values with their ranges, what is worth knowing, use in rig."""

from collections.abc import Callable, Hashable, Sequence

from PySide6.QtWidgets import QCheckBox, QFrame, QGridLayout, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from kelvarn.desktop import theme
from kelvarn.desktop.fields.plain import heading, link, small
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
from kelvarn.units import Quantity, Scale, show, three_figures

from .knowledge import Knowledge, RigReport, WantedFit

SAID: dict[str, tuple[str, Quantity, str]] = {
    "gain_K": ("Gain", Quantity.DIFFERENCE, " at full drive"),
    "rise_K_per_s": ("Rise", Quantity.RAMP, " at full drive"),
    "lag_s": ("Lag", Quantity.DURATION, ""),
    "lag2_s": ("Second lag", Quantity.DURATION, ""),
    "dead_time_s": ("Dead time", Quantity.DURATION, ""),
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
    row.setAccessibleName(f"{title} {text} {below}".strip())
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
    column.addWidget(small("Worth knowing", "gold", bold=True))
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
        self.add(heading("Model"))
        self.add(self._kinds(found))
        if self._known.fitting:
            row = QHBoxLayout()
            row.setContentsMargins(0, 0, 0, 0)
            row.addWidget(small("fitting …" if found is None else "fitting …; below stands what was before", "gold"), 1)
            row.addWidget(link("stop", self._known.stop, "Stop fitting"))
            holder = QWidget()
            holder.setLayout(row)
            self.add(holder)
        if self._known.fault:
            self.add(small(self._known.fault, "wrong"), 6)
        elif found is None:
            if not self._known.fitting:
                self.add(small("Open a log, or drop a file on the window."), 6)
        elif isinstance(found, RigReport):
            self._rig(found)
        else:
            self._response(found)
        if self.wanted.kind == "rig":
            self._choose_free()
        else:
            robust = QCheckBox("Outliers count less")
            robust.setChecked(self.wanted.robust)
            robust.setToolTip("Huber's weights: what lies far off pulls no harder than what lies a little off")
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
        for place, (kind, title) in enumerate([*KINDS.items(), ("rig", "The rig")]):
            chip = QPushButton(title)
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
            self.add(value_row(title, show(value.value, quantity, scale) + after, _range(value, quantity, scale)))
        log = fit.logs[0]
        if fit.kind != "integrating":
            known = log.log.outside_s is not None
            quantity = Quantity.DIFFERENCE if known else Quantity.TEMPERATURE
            title = "Rest, above surroundings" if known else "Rest temperature"
            rest = log.rest_degC
            self.add(value_row(title, show(rest.value, quantity, scale), _range(rest, quantity, scale)))
        if log.drift_K_per_h is not None:
            self.add(value_row("It drifts by", f"{log.drift_K_per_h.value:.2g} K/h"))
        self.add(rule())
        self._misses(fit.rms_K, fit.worst_K)
        for check in found.checks:
            good = holds(check, fit.rms_K)
            text = f"{show(check.rms_K, Quantity.DIFFERENCE, scale)} rms" + (": holds" if good else "")
            self.add(value_row(f"On {check.log.name}", text, "", "met" if good else "wrong"))
        for kind, other in found.others.items():
            better = found.prefers == kind
            text = f"{show(other.rms_K, Quantity.DIFFERENCE, scale)} rms" + (", preferred" if better else "")
            self.add(value_row(f"{KINDS[kind]} instead", text, "", "gold" if better else "muted"))
        if found.seen is not None:
            role = "met" if found.seen >= ENOUGH else "gold"
            self.add(value_row("Seen of the final value", f"{100 * found.seen:.0f} %", "", role))
        quick = two_points(log.log)
        if quick is not None:
            parts = (show(quick.gain_K, Quantity.DIFFERENCE, scale), show(quick.lag_s, Quantity.DURATION),
                     show(quick.dead_time_s, Quantity.DURATION))  # fmt: skip
            self.add(value_row("By two points (28 %, 63 %)", "", "gain {}, lag {}, dead time {}".format(*parts)))
        row = value_row("Residuals correlated", f"{100 * max(fit.autocorrelation, 0.0):.0f} %")
        row.setToolTip("Correlation of the residuals from one row to the next: 0 % is pure noise")
        self.add(row)
        self._end(found.warnings(scale), self._writes(fit))

    def _writes(self, fit: ResponseFit) -> str:
        bodies = self._project().rig.response is None
        text = f"writes {len(fit.values)} values, and their ranges as tolerances"
        return f"{text}; this response then stands in place of the bodies and links" if bodies else text

    def _rig(self, found: RigReport) -> None:
        fit, scale = found.fit, self._scale()
        for p, value, told in zip(fit.free, fit.values, fit.told, strict=True):
            if told > 0.85:
                continue
            quantity = quantity_at(self._project().rig, p.path)
            text = show(value.value, quantity, scale)
            self.add(value_row(p.text, text, f"{_range(value, quantity, scale)}; was {show(p.value, quantity, scale)}"))
        silent = [p.text for p, told in zip(fit.free, fit.told, strict=True) if told > 0.85]
        if silent:
            self.add(small(f"The log says nothing of: {', '.join(silent)}."), 4)
        self.add(rule())
        self._misses(fit.rms_K, fit.worst_K)
        for check in found.checks:
            text = f"{show(check.rms_K, Quantity.DIFFERENCE, scale)} rms"
            self.add(value_row(f"On {check.log.name}", text, "", "met" if holds(check, fit.rms_K) else "gold"))
        self._end(
            rig_warnings(fit.alike, fit.beyond), f"writes {len(fit.values)} values, and their ranges as tolerances"
        )

    def _misses(self, rms_K: float, worst_K: float) -> None:
        scale = self._scale()
        text = f"{show(rms_K, Quantity.DIFFERENCE, scale)} rms"
        self.add(value_row("Misses by", text, f"{show(worst_K, Quantity.DIFFERENCE, scale)} at worst"))

    def _end(self, warnings: Sequence[str], writes: str) -> None:
        if warnings:
            self.add(worth_knowing(warnings), 6)
        self.use_button = QPushButton("Use in rig")
        self.use_button.setProperty("main", True)
        self.use_button.clicked.connect(lambda: self._use())
        self.add(self.use_button, 8)
        self.add(small(writes))

    def _choose_free(self) -> None:
        """Which values of the rig are free."""
        row = QHBoxLayout()
        row.addWidget(small("Values to fit", bold=True), 1)
        row.addWidget(link("choose" if self._folded else "fold", self._fold, "Choose which values of the rig are free"))
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
        self.add(small("Used so far", bold=True), 10)
        for fit in kept[-3:]:
            self.add(small(f"{fit.name}: {kept_text(fit, self._scale())}"))


def rig_warnings(alike: tuple[tuple[str, str], ...], beyond: tuple[str, ...]) -> tuple[str, ...]:
    """What is worth knowing of a fitted rig."""
    found = [f"“{a}” and “{b}” act alike in this log: only both together are told." for a, b in alike[:2]]
    if beyond:
        named = ", ".join(f"“{text}”" for text in beyond[:3])
        found.append(f"{named} moved beyond the tolerance: look whether something is missing in the rig.")
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
    return f"{', '.join(parts)}; {show(fit.rms_K, Quantity.DIFFERENCE, scale)} rms"


def _range(value: Estimate, quantity: Quantity, scale: Scale) -> str:
    return f"95 %: {show(value.low, quantity, scale)} … {show(value.high, quantity, scale)}"
