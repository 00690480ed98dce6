"""Where devices are, what opening a link does, and how each link is."""

from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from kelvarn.desktop.fields.plain import CutLink, heading, link, small
from kelvarn.desktop.parts.plain import set_shown
from kelvarn.link.address import link_address
from kelvarn.link.bench.conflicts import conflicts
from kelvarn.link.bench.session import Session
from kelvarn.link.listener import LinkState

from .beside import Beside
from .work import Bench

_STATES = {
    LinkState.CLOSED: "not connected", LinkState.OPENING: "is asked …", LinkState.OPEN: "answers",
    LinkState.LOST: "is lost",
}  # fmt: skip


class LinkPanel(QWidget):
    """Where the device is, what opening it does, and how the link is."""

    def __init__(self, bench: Bench) -> None:
        super().__init__()
        self._bench = bench
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addWidget(heading("Link"))
        self.where = QLineEdit()
        self.where.setPlaceholderText("serial:/dev/ttyUSB0, tcp://host:port")
        self.where.setAccessibleName("Where the device is")
        self.where.textChanged.connect(self._warn)
        self.where.returnPressed.connect(self._toggle)
        column.addWidget(self.where)
        self.warns = small("")
        self.warns.setWordWrap(True)
        column.addWidget(self.warns)
        row = QHBoxLayout()
        self.button = QPushButton("Open")
        self.button.clicked.connect(self._toggle)
        self.practice = link("practice rig", bench.practise, "A device that is not there, with this program in it")
        row.addWidget(self.button)
        row.addWidget(self.practice)
        row.addStretch(1)
        column.addLayout(row)
        self.state = small("")
        self.state.setWordWrap(True)
        column.addWidget(self.state)
        self._others = QVBoxLayout()
        self._others.setSpacing(2)
        column.addLayout(self._others)
        self.others: list[CutLink] = []
        self.another = link("one more device", bench.another, "The others are listened to on")
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

    def _warn(self) -> None:
        text = ""
        if self._bench.session is None:
            try:
                text = link_address(self.where.text().strip()).warns
            except RuntimeError:
                text = ""
        self.warns.setText(text)
        set_shown(self.warns, bool(text))

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
        self.button.setText("Open" if session is None else "Close")
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
        return "not connected"
    last = each.session.last
    what = "" if last is None or last.reading_degC is None else f", {last.reading_degC:.1f} °C"
    return f"{_STATES[each.session.listener.state]}{what}: {each.session.listener.address}"


def _link_text(session: Session) -> str:
    """How a link is, in a few words."""
    listener = session.listener
    text = _STATES[listener.state]
    device, found = listener.device, listener.identity
    if listener.state == LinkState.OPEN and device is not None and found is not None:
        traffic = device.traffic
        usual = f" in {1000 * traffic.usual_s:.0f} ms" if traffic.usual_s is not None else ""
        text = f"{text}{usual}, {traffic.lost} of {traffic.asked} lost; {found.board}"
        if not session.is_ours:
            text += f". Its program is of state {found.state}: only watched"
    elif listener.trouble:
        text = f"{text}: {listener.trouble}"
    return text
