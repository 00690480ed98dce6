"""The parts of a wiring to choose between, and the settings and warnings of the one that is chosen."""

from collections.abc import Callable

from PySide6.QtWidgets import QButtonGroup, QVBoxLayout, QWidget

from kelvarn.desktop.fields.any import field_for
from kelvarn.desktop.fields.binding import Binding
from kelvarn.desktop.fields.plain import heading, link, small
from kelvarn.desktop.language import tell
from kelvarn.desktop.parts.plain import clear
from kelvarn.desktop.parts.target import Target
from kelvarn.desktop.state.document import Document
from kelvarn.desktop.state.view import View
from kelvarn.handover.wiring.circuit import Circuit, Switched
from kelvarn.handover.wiring.warnings import BOARD, SUPPLY, Warned
from kelvarn.model.edit import with_fields
from kelvarn.model.wiring import SWITCH_WORDS, Output, ProbeWiring, Signal
from kelvarn.sentence import figures, joined, say
from kelvarn.units import Quantity, counted, show

from .ready import note

_CUT_OFF = say("Thermal cut-off")
_OF_ALL = ("kind", "pin", "load_V", "rated_V", "rated_A")
_TRANSISTOR = ("opens_at_V", "on_ohm", "to_air_K_per_W", "gate_ohm", "hold_ohm", "pwm_Hz")
_OF_KIND = {
    "transistor_low": _TRANSISTOR, "transistor_high": _TRANSISTOR,
    "solid_state": ("drop_V", "to_air_K_per_W", "hold_ohm"),
    "relay_module": ("input_mA", "bare_coil", "diode", "hold_ohm"), "fan": ("pwm_Hz", "hold_ohm"),
    "valve": ("hold_ohm",), "appliance": ("input_mA", "hold_ohm"),
}  # fmt: skip
_LEAD = ("lead_mm2", "lead_m", "fuse_A")


class PartsList(QWidget):
    """The parts, each with what it is, and a mark where something is wrong with it."""

    def __init__(self, choose: Callable[[str], None]) -> None:
        super().__init__()
        self._choose = choose
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 8, 0, 0)
        self._column.setSpacing(5)
        self._group = QButtonGroup(self)
        self._names: list[str] = []
        self.buttons: dict[str, Target] = {}

    def refresh(self, circuit: Circuit, warned: list[Warned], chosen: str) -> None:
        """Show the parts of a wiring."""
        lines = dict(_lines(circuit))
        if list(lines) != self._names:
            clear(self._column)
            self._names, self.buttons = list(lines), {}
            self._column.addWidget(heading(tell("Parts")))
            for name in lines:
                button = Target(name, "")
                button.setMinimumHeight(46)
                button.clicked.connect(lambda _=False, n=name: self._choose(n))
                self._group.addButton(button)
                self._column.addWidget(button)
                self.buttons[name] = button
        wrong = [each.part for each in warned]
        for name, button in self.buttons.items():
            count = wrong.count(name)
            button.say(tell(joined(" ", ("⚑", counted(count, "warning")))) if count else lines[name])
            button.setChecked(name == chosen)


def parts_of(circuit: Circuit) -> list[str]:
    """Names of the parts of a wiring, in their order."""
    return [name for name, _ in _lines(circuit)]


def _lines(circuit: Circuit) -> list[tuple[str, str]]:
    """Each part with a few words on it."""
    wiring = circuit.wiring
    found = [(BOARD, f"{circuit.board.title}, {circuit.logic_V:g} V")]
    found += [
        (
            each.drive.name,
            tell("{switch} on pin {pin}", switch=SWITCH_WORDS[each.output.kind], pin=each.pin or "–"),
        )
        for each in circuit.switched
    ]
    gives = f", {wiring.supply_A:g} A" if wiring.supply_A is not None else ""
    found.append((SUPPLY, f"{wiring.supply_V:g} V{gives}"))
    if circuit.cut_off is not None:
        at = show(circuit.cut_off.at_degC, Quantity.TEMPERATURE)
        found.append((_CUT_OFF, f"{at}, {wiring.cut_off_A:g} A"))
    found += [(probe.name, tell("on pin {pin}", pin=pin or "–")) for probe, _, pin in circuit.probes]
    found += [
        (each.outlet, tell("on pin {pin}", pin=each.pin) if each.pin else tell("not wired")) for each in circuit.signals
    ]
    return found


class PartPanel(QWidget):
    """The settings of a part, what flows there, and what is wrong with it."""

    def __init__(self, document: Document, view: View) -> None:
        super().__init__()
        self._document, self._view = document, view
        self._shown: object = None
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(5)
        self._fields: list[QWidget] = []

    def refresh(self, circuit: Circuit, warned: list[Warned], chosen: str) -> None:
        """Show a part."""
        those = tuple(each.text for each in warned if each.part == chosen)
        switched = next((each for each in circuit.switched if each.drive.name == chosen), None)
        kind = None if switched is None else switched.output.kind
        subject = chosen, kind, those, self._place(chosen), circuit.wiring.board, switched
        if subject == self._shown:
            for each in self._fields:
                each.refresh()  # type: ignore[attr-defined]
            return
        self._shown, self._fields = subject, []
        clear(self._column)
        self._column.addWidget(heading(chosen if switched is None else tell("Switch of {chosen}", chosen=chosen)))
        self._add_fields(circuit, chosen, switched)
        if switched is not None:
            self._column.addWidget(note(_flows(switched), "muted"))
        for text in those:
            self._column.addWidget(note(tell(joined(" ", ("⚑", text))), "gold"))

    def _place(self, name: str) -> tuple[str, int] | None:
        """Where a part stands in the project's wiring; None where it is as proposed."""
        wiring = self._document.project.wiring
        for field, attribute in (("outputs", "drive"), ("probes", "probe"), ("signals", "outlet")):
            for place, each in enumerate(getattr(wiring, field)):
                if getattr(each, attribute) == name:
                    return field, place
        return None

    def _add_fields(self, circuit: Circuit, name: str, switched: Switched | None) -> None:
        if name == BOARD:
            self._add(("wiring",), ("board", "logic_V"))
        elif name == SUPPLY:
            self._add(("wiring",), ("supply_V", "supply_A"))
        elif name == _CUT_OFF:
            self._add(("wiring",), ("cut_off_A",))
        elif (place := self._place(name)) is not None:
            names: tuple[str, ...] = ("pin", "takes_mA")
            if place[0] == "probes":
                names = ("pin", "pull_up_ohm", "lead_m", "capacitor_nF")
            if switched is not None:
                names = (*_OF_ALL, *_OF_KIND[switched.output.kind], *_LEAD)
            self._add(("wiring", *place), names)
            self._column.addWidget(link(tell("as proposed again"), lambda: self._forget(*place)))
        else:
            said = small(tell("As proposed for this rig."))
            said.setWordWrap(True)
            self._column.addWidget(said)
            self._column.addWidget(link(tell("change it"), lambda: self._say(circuit, name)))

    def _add(self, path: tuple[str | int, ...], names: tuple[str, ...]) -> None:
        for name in names:
            made = field_for(Binding(self._document, self._view, (*path, name)), self._document.project.rig)
            self._column.addWidget(made)
            self._fields.append(made)

    def _say(self, circuit: Circuit, name: str) -> None:
        """Take what is proposed into the project, where it can be changed."""
        part: Output | ProbeWiring | Signal | None = next(
            (each.output for each in circuit.switched if each.drive.name == name), None
        )
        field = "outputs"
        if part is None:
            field, part = "probes", next((wiring for probe, wiring, _ in circuit.probes if probe.name == name), None)
        if part is None:
            field, part = "signals", next((each for each in circuit.signals if each.outlet == name), None)
        if part is None:
            return
        project = self._document.project
        wiring = with_fields(project.wiring, **{field: (*getattr(project.wiring, field), part)})
        self._document.apply(with_fields(project, wiring=wiring), tell("wire {name} otherwise", name=name))

    def _forget(self, field: str, place: int) -> None:
        project = self._document.project
        those = getattr(project.wiring, field)
        wiring = with_fields(project.wiring, **{field: (*those[:place], *those[place + 1 :])})
        self._document.apply(with_fields(project, wiring=wiring), tell("wire it as proposed"))


def _flows(each: Switched) -> str:
    """What flows there, in a line."""
    heat = (
        tell(
            "; {watts} W in the switch, {degc}",
            watts=figures(f"{each.watts:.2g}", ""),
            degc=show(each.degC, Quantity.TEMPERATURE),
        )
        if each.watts
        else ""
    )
    return (
        tell("{amperes} flow{heat}. The lead carries {lead} and loses {drop}.", heat=heat,
             amperes=figures(f"{each.amperes:.3g}", "A"), lead=figures(f"{each.lead_A:g}", "A"),
             drop=figures(f"{each.lead_drop_V:.2g}", "V"))
    )  # fmt: skip
