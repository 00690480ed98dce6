"""The recording of the Bench: on disk each second, kept as a log."""

from collections.abc import Callable

from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from kelvarn.desktop.fields.plain import heading, small
from kelvarn.desktop.language import tell
from kelvarn.desktop.parts.plain import set_shown
from kelvarn.sentence import figures, joined

from .work import Bench


class RecordingPanel(QWidget):
    """The recording: on disk each second, kept as a log."""

    def __init__(self, bench: Bench, say: Callable[[str], None]) -> None:
        super().__init__()
        self._bench, self._say = bench, say
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addWidget(heading(tell("Recording")))
        self.state = small("")
        self.state.setWordWrap(True)
        column.addWidget(self.state)
        row = QHBoxLayout()
        self.button = QPushButton(tell("Record"))
        self.button.clicked.connect(self._toggle)
        row.addWidget(self.button)
        row.addStretch(1)
        column.addLayout(row)

    def _toggle(self) -> None:
        session = self._bench.session
        if session is None:
            return
        recording = session.recorder is not None
        why = self._bench.keep_and_fit() if recording else self._bench.record()
        self._say(why or (tell("The recording is a log at Fit.") if recording else ""))
        self.refresh()

    def refresh(self) -> None:
        """Show how it stands."""
        session = self._bench.session
        set_shown(self, session is not None)
        if session is None:
            return
        recorder = session.recorder
        if recorder is None:
            self.state.setText(tell("not recorded"))
            self.button.setText(tell("Record"))
        else:
            safe = tell("{rows} rows, safe on disk.", rows=figures(f"{recorder.rows:,}", ""))
            self.state.setText(joined(" ", (safe, recorder.trouble)) if recorder.trouble else safe)
            self.button.setText(tell("Keep as a log"))
        self.button.setEnabled(session.last is not None)
