"""Out of so many rigs that differ: the share that meets each mark, what hurts most, the worst one."""

from collections.abc import Callable
from dataclasses import dataclass

from PySide6.QtCore import QRectF, QSize, Qt, Signal, Slot
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QPushButton, QSizePolicy, QVBoxLayout, QWidget

from kelvarn.desktop import theme
from kelvarn.desktop.fields.plain import heading, link, small
from kelvarn.desktop.language import number_told, tell, told
from kelvarn.desktop.parts import texts
from kelvarn.desktop.parts.plain import plain_tip, set_shown
from kelvarn.desktop.parts.spoken import Role, Spoken
from kelvarn.desktop.state.jobs import Jobs
from kelvarn.desktop.strip.lane import Ribbon
from kelvarn.engine.prepare import RunError
from kelvarn.engine.run import Stopped, current_go_on
from kelvarn.model.candidate import Candidate
from kelvarn.model.rig import Rig
from kelvarn.model.trial import Trial
from kelvarn.sentence import figures, joined
from kelvarn.studies.variants import COUNT, Variants, vary
from kelvarn.units import Scale

_CHANNEL = "variants"
_ROW = 30  # px
_MOST_HURTS = 4


@dataclass(frozen=True)
class Line:
    """A bar: what it is of, the share 0…1, its colour role, and how the share is said."""

    title: str
    share: float
    color: str
    text: str


class SpreadBars(QWidget, Spoken):
    """Bars under their titles."""

    role = Role.Chart

    def __init__(self) -> None:
        super().__init__()
        self._lines: tuple[Line, ...] = ()
        self.hide()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def show_lines(self, lines: tuple[Line, ...]) -> None:
        """Show these."""
        self._lines = lines
        self.setAccessibleName(told(joined("; ", (joined(" ", (line.title, line.text)) for line in lines))))
        set_shown(self, bool(lines))
        self.setToolTip(plain_tip(joined("\n", (joined(": ", (line.title, line.text)) for line in lines))))
        self.setFixedHeight(max(_ROW * len(lines), 1))
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(200, _ROW * len(self._lines))

    def paintEvent(self, event: QPaintEvent) -> None:
        del event
        look, painter = theme.current(), QPainter(self)
        for place, line in enumerate(self._lines):
            row = QRectF(0, place * _ROW, self.width(), 18)
            wide = texts.laid_out(line.text, "small", bold=True).width + 8
            texts.paint(painter, row.adjusted(0, 0, -wide, 0), line.title, look.color("ink"), "small", cut=True)
            texts.paint(painter, row, line.text, look.color(line.color), "small", bold=True, at=texts.At.RIGHT)
            bar = QRectF(0, place * _ROW + 20, self.width(), 5)
            painter.fillRect(bar, look.color("hairline"))
            filled = bar.width() * min(abs(line.share), 1.0)
            painter.fillRect(QRectF(bar.left(), bar.top(), filled, bar.height()), look.color(line.color))
        painter.end()


class VariantsPanel(QWidget):
    """The panel.

    Signals:
        updated: there are other results, or none any more.
        open_wanted: the rig of a variant, and what it is called.
    """

    updated = Signal()
    open_wanted = Signal(object, str)
    _partial = Signal(object)

    def __init__(self, jobs: Jobs) -> None:
        super().__init__()
        self._jobs = jobs
        self.found: Variants | None = None
        self._of: tuple[Rig, Candidate, Trial] | None = None
        self._subject: tuple[Rig, Candidate, Trial] | None = None
        self._scale = Scale.CELSIUS
        self.start = QPushButton()
        self.start.setProperty("main", True)
        self.start.clicked.connect(self.toggle)
        self._heading = heading(tell("Rigs that differ"))
        self._said = small()
        self._bars, self._hurts = SpreadBars(), SpreadBars()
        self._hurts_head = small(tell("What hurts most"), "ink", bold=True)
        self.worst = link(
            tell("open the worst as a rig"), self._open_worst, tell("Take the rig of the worst variant; undo goes back")
        )
        column = QVBoxLayout(self)
        column.setContentsMargins(2, 8, 12, 4)
        column.setSpacing(4)
        for widget in (self._heading, self.start, self._said, self._bars, self._hurts_head, self._hurts, self.worst):
            column.addWidget(widget)
        column.setAlignment(self.worst, Qt.AlignmentFlag.AlignLeft)
        column.addStretch(1)
        self._partial.connect(self._take)
        jobs.progressed.connect(self._progress)
        self._show()

    def show_subject(self, rig: Rig, candidate: Candidate, trial: Trial, scale: Scale) -> None:
        """Of what variants would be, in a scale; results of something else are no longer shown."""
        self._scale = scale
        self._subject = (rig, candidate, trial)
        if self._of is not None and not self._same(self._of, self._subject):
            self._jobs.stop(_CHANNEL)
            self.found = self._of = None
            self.updated.emit()
        self._show()

    @staticmethod
    def _same(one: tuple[Rig, Candidate, Trial], other: tuple[Rig, Candidate, Trial]) -> bool:
        return one[0] == other[0] and one[1].controller == other[1].controller and one[2] == other[2]

    def ribbon(self, index: int) -> Ribbon | None:
        """Between which courses nine of ten variants lie, in the look of a candidate's place; None without any."""
        found = self.found
        if found is None or not found.low_degC.size:
            return None
        size = min(found.time_s.size, found.low_degC.size)
        return Ribbon(found.time_s[:size], found.low_degC[:size], found.high_degC[:size], index)

    @property
    def busy(self) -> bool:
        """Whether variants are being computed."""
        return self._jobs.busy(_CHANNEL)

    def toggle(self) -> None:
        """Begin, or stop."""
        if self.busy:
            self._jobs.stop(_CHANNEL)
            self._show()
            return
        if self._subject is None:
            return
        self._of = rig, candidate, trial = self._subject
        self.found = None
        self._jobs.start(_CHANNEL, lambda: self._work(rig, candidate, trial), self._done)
        self._show()

    def _work(self, rig: Rig, candidate: Candidate, trial: Trial) -> object:
        """On another thread: what there is so far goes to the window as it comes."""
        go_on: Callable[[float], bool] = current_go_on() or (lambda share: True)
        found: Variants | None = None

        def goes_on() -> bool:
            return go_on(0.0 if found is None else found.count / found.wanted)

        try:
            for found in vary(rig, candidate.controller, trial, go_on=goes_on):
                self._partial.emit((rig, candidate, trial, found))
        except (RunError, ValueError) as error:
            return str(error)
        except Stopped:
            return found
        return found

    @Slot(object)
    def _take(self, told: object) -> None:
        assert isinstance(told, tuple)
        *of, found = told
        if self._of is not None and tuple(of) == self._of and self.busy:
            self.found = found
            self._show()
            self.updated.emit()

    @Slot(str, float)
    def _progress(self, channel: str, _share: float) -> None:
        if channel == _CHANNEL:
            self._show()

    def _done(self, outcome: object) -> None:
        if isinstance(outcome, str):
            self.found = self._of = None
            self._show()
            self._said.setText(outcome)
        else:
            assert outcome is None or isinstance(outcome, Variants)
            self.found = outcome
            self._show()
        self.updated.emit()

    def _show(self) -> None:
        found = self.found
        self.start.setText(tell("Stop") if self.busy else tell("Try {number} variants", number=COUNT))
        self._said.setText(self._words())
        self._bars.show_lines(() if found is None else _lines(found, self._scale))
        self._hurts.show_lines(() if found is None else _hurts(found))
        self._hurts_head.setVisible(found is not None and bool(found.hurts_most()))
        self.worst.setVisible(found is not None and found.worst is not None and not self.busy)

    def _words(self) -> str:
        found = self.found
        if found is None:
            return tell("computing …") if self.busy else tell("No two rigs are alike: each part within its tolerance.")
        said = tell("{done} of {wanted}", done=found.count, wanted=found.wanted)
        if found.marks:
            low, high = (100 * bound for bound in found.sure(found.share_of_all))
            said += tell(
                ": {percent} % meet all marks ({low} to {high} % with 95 % certainty)",
                percent=figures(f"{100 * found.share_of_all:.0f}", ""),
                low=figures(f"{low:.0f}", ""),
                high=figures(f"{high:.0f}", ""),
            )
        if found.failed:
            said += tell("; {failed} could not be run ({fault})", failed=found.failed, fault=found.fault)
        return said

    def _open_worst(self) -> None:
        if self.found is not None and self.found.worst is not None and self._of is not None:
            name = tell("variant {worst}", worst=self.found.worst + 1)
            self.open_wanted.emit(self.found.rig_of(self._of[0], self.found.worst), name)


def _lines(found: Variants, scale: Scale) -> tuple[Line, ...]:
    """A bar for each mark."""
    lines = []
    for mark, share in zip(found.marks, found.shares, strict=True):
        color = "moss" if share >= 0.95 else "gold" if share >= 0.5 else "ember"
        title = joined(" ", (mark.title, mark.limit_text(scale, short=True)))
        lines.append(Line(title, share, color, f"{100 * share:.0f} %"))
    return tuple(lines)


def _hurts(found: Variants) -> tuple[Line, ...]:
    """A bar for each parameter that matters, by its index, and for which mark."""
    words = {
        "more is worse": ("ember", tell("more")), "less is worse": ("glacier", tell("less")),
        "either way is worse": ("gold", tell("either way")),
    }  # fmt: skip
    return tuple(
        Line(joined(": ", (each.parameter.text, each.mark.title)), each.index, words[each.worse][0],
             number_told(f"{words[each.worse][1]} {each.index:.2f}"))
        for each in found.hurts_most()[:_MOST_HURTS]
    )  # fmt: skip
