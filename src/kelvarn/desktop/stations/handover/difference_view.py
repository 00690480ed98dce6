"""Where a program decides otherwise than the engine: both decisions, the reading, and the lines that set them."""

import numpy as np
from PySide6.QtWidgets import QVBoxLayout, QWidget

from kelvarn.desktop import theme
from kelvarn.desktop.language import tell
from kelvarn.desktop.parts.plain import PlainLabel
from kelvarn.desktop.strip.lane import Lane, LaneTrace, Shown, ValueAxis
from kelvarn.desktop.strip.strip import Strip
from kelvarn.handover.comparing import lines_that_set
from kelvarn.handover.proof_records import Difference
from kelvarn.sentence import figures
from kelvarn.units import Quantity


class DifferenceView(QWidget):
    """A difference on a strip, and in words."""

    def __init__(self) -> None:
        super().__init__()
        self.said = PlainLabel()
        self.said.setWordWrap(True)
        self.strip = Strip()
        self.strip.setAccessibleName(tell("Strip: the reading, what the engine decides and what the program decides"))
        self.lines = PlainLabel()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self.said)
        layout.addWidget(self.strip, 1)
        layout.addWidget(self.lines)

    def show_difference(self, first: Difference, files: dict[str, str]) -> None:
        """Show a difference, with the lines of a program's files that set what differs."""
        self.said.setText(first.says)
        self.lines.setFont(theme.fixed_font())
        self.lines.setText("\n".join(lines_that_set(first.figure, files)))
        time_s, reading, engine, program = np.array(first.around).T
        time_s = np.maximum.accumulate(time_s - time_s[0])  # a clock that wraps goes on here
        at_s = float(
            time_s[next(k for k, each in enumerate(first.around) if each[2:] == (first.engine, first.program))]
        )
        both = (
            LaneTrace("here", time_s, engine, 0, named=True),
            LaneTrace(tell("in the program"), time_s, program, 1, named=True, strong=True),
        )
        late = figures(f"{at_s:.4g}", "s")
        lanes = (
            Lane("reading", tell("Reading, {late} after what is shown begins it differs", late=late),
                 ValueAxis(Quantity.NUMBER),
                 traces=(LaneTrace("reading", time_s, reading),)),
            Lane("figure", f"{first.figure[:1].upper()}{first.figure[1:]}", ValueAxis(Quantity.NUMBER, least=0.01),
                 weight=1.4, traces=both),
        )  # fmt: skip
        self.strip.show_lanes(Shown(lanes, float(time_s[-1]) or 1.0, time_s))
        self.strip.set_cursor(at_s, True)
