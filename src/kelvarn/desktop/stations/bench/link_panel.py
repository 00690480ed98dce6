"""Where devices are, what opening a link does, and how each link is."""

from contextlib import suppress
from pathlib import Path

from PySide6.QtWidgets import QDialog, QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from kelvarn.desktop.fields.plain import CutLink, heading, link, small
from kelvarn.desktop.language import fault_told, tell
from kelvarn.desktop.parts.plain import set_shown
from kelvarn.link.address import LinkAddress, link_address
from kelvarn.link.bench.conflicts import conflicts
from kelvarn.link.bench.session import Session
from kelvarn.link.faults import LinkError
from kelvarn.link.listener import LinkState
from kelvarn.sentence import figures, say

from .beside import Beside
from .foreign import MapDialog, ValuesDialog
from .work import Bench

_STATES = {
    LinkState.CLOSED: say("not connected"), LinkState.OPENING: say("is asked …"), LinkState.OPEN: say("answers"),
    LinkState.LOST: say("is lost"),
}  # fmt: skip


class LinkPanel(QWidget):
    """Where the device is, what opening it does, and how the link is."""

    def __init__(self, bench: Bench) -> None:
        super().__init__()
        self._bench = bench
        self.dialog: QDialog | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addWidget(heading(tell("Link")))
        self.where = QLineEdit()
        self.where.setPlaceholderText(tell("serial:/dev/ttyUSB0, tcp://host:port"))
        self.where.setAccessibleName(tell("Where the device is"))
        self.where.textChanged.connect(self._warn)
        self.where.returnPressed.connect(self._toggle)
        column.addWidget(self.where)
        self.warns = small("")
        self.warns.setWordWrap(True)
        column.addWidget(self.warns)
        row = QHBoxLayout()
        self.button = QPushButton(tell("Open"))
        self.button.clicked.connect(self._toggle)
        self.practice = link(
            tell("practice rig"), bench.practise, tell("A device that is not there, with this program in it")
        )
        row.addWidget(self.button)
        row.addWidget(self.practice)
        row.addStretch(1)
        column.addLayout(row)
        self.values = link(tell("what its values are …"), self._ask_values, tell("Of a device that tells its own JSON"))
        self.registers = link(tell("its registers …"), self._ask_registers, tell("Of a device that is not Kelvarn's"))
        column.addWidget(self.values)
        column.addWidget(self.registers)
        self.state = small("")
        self.state.setWordWrap(True)
        column.addWidget(self.state)
        self._others = QVBoxLayout()
        self._others.setSpacing(2)
        column.addLayout(self._others)
        self.others: list[CutLink] = []
        self.another = link(tell("one more device"), bench.another, tell("The others are listened to on"))
        self.conflict = small("", "wrong")
        self.conflict.setWordWrap(True)
        for widget in (self.another, self.conflict):
            column.addWidget(widget)

    def _show_others(self) -> None:
        """A line for each of several devices: where it is, and how its link is; a click looks at it."""
        bench = self._bench
        lines = [_line_of(each) for each in bench.all] if len(bench.all) > 1 else []
        while len(self.others) > len(lines):
            gone = self.others.pop()
            gone.hide()
            gone.deleteLater()
        while len(self.others) < len(lines):
            button, place = CutLink(""), len(self.others)
            button.clicked.connect(lambda _=False, k=place: bench.look_at(k))
            self._others.addWidget(button)
            self.others.append(button)
        for each, button, text in zip(bench.all, self.others, lines, strict=False):
            mark = "▸ " if each is bench.at else ""
            button.say(f"{mark}{text}")
        set_shown(self.another, bench.session is not None)
        said = " ".join(each.text for each in conflicts(bench.sessions))
        self.conflict.setText(said)
        set_shown(self.conflict, bool(said))

    def _address(self) -> LinkAddress | None:
        """What is typed, while nothing is open; None where it is none. A broker's device may lack its base."""
        text = self.where.text().strip()
        for tried in (text, f"{text}?json" if text.startswith("mqtt") else text):
            with suppress(LinkError):
                return link_address(tried) if self._bench.session is None else None
        return None

    def _warn(self) -> None:
        address = self._address()
        text = "" if address is None else address.warns
        self.warns.setText(text)
        set_shown(self.warns, bool(text))
        set_shown(self.values, address is not None and address.kind.startswith("mqtt"))
        set_shown(self.registers, address is not None and address.kind.startswith("modbus"))

    def _ask_values(self) -> None:
        """Listen at the broker, and let be chosen what is what."""
        address = self._address()
        if address is not None:
            self._bench.say(tell("It is listened to …"))
            self._bench.hear(address, lambda found: self._show_values(address, found))

    def _show_values(self, address: LinkAddress, found: object) -> None:
        if isinstance(found, list):
            self._bench.say("")
            self.dialog = ValuesDialog(self.window(), address, found, self._open)
            self.dialog.open()
        else:
            self._bench.say(fault_told(found) if isinstance(found, Exception) else str(found))

    def _ask_registers(self) -> None:
        """Let the registers be typed, or their file be chosen."""
        address = self._address()
        if address is not None:
            self.dialog = MapDialog(self.window(), address, Path.cwd(), self._open)
            self.dialog.open()

    def _open(self, where: str) -> None:
        self._bench.connect_to(where)
        self.refresh()

    def _toggle(self) -> None:
        if self._bench.session is not None:
            self._bench.close()
            if not self._bench.sessions:
                self._bench.end_practice()
        else:
            self._bench.connect_to(self.where.text())
        self.refresh()

    def refresh(self) -> None:
        """Show how the link is."""
        session = self._bench.session
        self.button.setText(tell("Open") if session is None else tell("Close"))
        set_shown(self.practice, session is None)
        self.where.setReadOnly(session is not None)
        if session is None:
            self.state.setText(self._bench.trouble)
        else:
            self.where.setText(str(session.listener.address))
            self.state.setText(_link_text(session))
        self._warn()
        self._show_others()


def _line_of(each: Beside) -> str:
    """One of several devices, in a line."""
    if each.session is None:
        return tell("not connected")
    last = each.session.last
    what = "" if last is None or last.reading_degC is None else f", {last.reading_degC:.1f} °C"
    return f"{tell(_STATES[each.session.listener.state])}{what}: {each.session.listener.address}"


def _link_text(session: Session) -> str:
    """How a link is, in a few words."""
    listener = session.listener
    text = tell(_STATES[listener.state])
    device, found = listener.device, listener.identity
    if listener.state == LinkState.OPEN and device is not None and found is not None:
        traffic = device.traffic
        usual = (
            tell(" in {ms} ms", ms=figures(f"{1000 * traffic.usual_s:.0f}", "")) if traffic.usual_s is not None else ""
        )
        text = tell("{state}{usual}, {lost} of {asked} lost; {board}", state=text, usual=usual, lost=traffic.lost,
                    asked=traffic.asked, board=found.board)  # fmt: skip
        if not session.is_ours:
            text += tell(". Its program is of state {state}: only watched", state=found.state)
    elif listener.trouble:
        text = f"{text}: {listener.trouble}"
    return text
