"""Ready to hand over? What was looked at, and what only the maker can see to."""

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QVBoxLayout, QWidget

from kelvarn.desktop import theme
from kelvarn.desktop.language import tell
from kelvarn.desktop.parts.plain import PlainLabel, clear
from kelvarn.desktop.state.document import Document
from kelvarn.desktop.state.view import View
from kelvarn.engine.measures import ended_text
from kelvarn.handover.kept import now, who
from kelvarn.model.candidate import Candidate
from kelvarn.model.handed import CHECKS, CheckName, Tick
from kelvarn.sentence import figures, joined
from kelvarn.studies.results import Result
from kelvarn.units import counted

from .program import Program
from .verdicts import Verdicts

_MOST_RIGS, _MOST_REMARKS = 0.9, 3
"""Share of rigs that must meet all marks, with 95 % certainty; remarks that are told one by one."""


class Ready(QWidget):
    """The list.

    Args:
        document, view: what is handed over.
        verdicts: how it does on all trials.
    """

    def __init__(self, document: Document, view: View, verdicts: Verdicts) -> None:
        super().__init__()
        self._document, self._view, self._verdicts = document, view, verdicts
        self._checks = QVBoxLayout(self)
        self._checks.setContentsMargins(0, 0, 0, 0)
        self._checks.setSpacing(2)

    def refresh(self, candidate: Candidate, program: Program | None = None) -> None:
        """Look at everything for a candidate; at its program's proof, where that is what is handed over."""
        project = self._document.project
        clear(self._checks)
        if project.chosen is not None:
            self._check(True, tell("Chosen: {candidate}", candidate=candidate.name), candidate.strategy)
        else:
            shown = tell("{candidate} is shown; choose one in Control", candidate=candidate.name)
            self._check(False, tell("No candidate is chosen"), shown)
        self._show_trials()
        self._show_failures()
        self._show_variants()
        self._show_remarks()
        if program is not None:
            self._show_proof(program)
        for key, (title, line) in CHECKS.items():
            self._add_tick(key, title, line)

    def _show_trials(self) -> None:
        """How it does on every trial: what is not met first, with the trial; at last that all are met."""
        results = self._verdicts.results
        if not results:
            self._check(None, tell("Marks of all trials"), tell("computing …"))
            return
        missed = 0
        for name, result in results.items():
            if isinstance(result, str):
                self._check(False, tell("{name}: it cannot be computed", name=name), result)
                missed += 1
                continue
            ended = result.measures.ended
            if ended is not None:
                self._check(
                    False, joined(": ", (name, ended_text(*ended))), tell("what was measured after that is none")
                )
                missed += 1
            for verdict in result.verdicts:
                if not verdict.met and ended is None:
                    said = tell("{verdict}, asked {limit}", verdict=verdict.text(self._view.scale),
                                limit=verdict.mark.limit_text(self._view.scale))  # fmt: skip
                    self._check(False, tell("{name}: {mark} not met", name=name, mark=verdict.mark.title), said)
                    missed += 1
        count = sum(len(result.verdicts) for result in results.values() if isinstance(result, Result))
        if not missed:
            on = counted(len(results), "trial")
            self._check(
                bool(count),
                tell("All {number} marks of {on} met", number=count, on=on) if count else tell("No marks are set"),
                ", ".join(results),
            )

    def _show_failures(self) -> None:
        """What happens if one thing fails, on every trial."""
        if not self._verdicts.failures:
            self._check(None, tell("If one thing fails"), tell("computing …"))
        for name, table in self._verdicts.failures.items():
            if isinstance(table, str):
                self._check(False, tell("{name}: failures cannot be tried", name=name), table)
            else:
                self._check(table.safe, tell("{name}: if one thing fails", name=name), table.verdict(self._view.scale))

    def _show_variants(self) -> None:
        """How many rigs that differ by their tolerances meet all marks."""
        found, title = self._verdicts.variants, tell("Rigs that differ")
        if found is None:
            self._check(None, title, tell("computing …"))
        elif isinstance(found, str):
            self._check(False, title, found)
        elif not found.marks:
            self._check(False, title, tell("the trial has no marks to judge them by"))
        else:
            low, _ = found.sure(found.share_of_all)
            said = tell("{percent} % of {number} meet all marks of the trial that is shown",
                        percent=figures(f"{100 * found.share_of_all:.3g}", ""), number=found.count)  # fmt: skip
            self._check(low >= _MOST_RIGS, title, said)

    def _show_remarks(self) -> None:
        """What is noticed of rig and candidate and was not set aside."""
        found = self._verdicts.remarks
        if found is None:
            self._check(None, tell("Remarks"), tell("computing …"))
            return
        if not found:
            self._check(True, tell("Remarks"), tell("none, but for those that were set aside"))
        for remark in found[:_MOST_REMARKS]:
            self._check(False, tell("Remark"), remark.text)
        if len(found) > _MOST_REMARKS:
            self._check(False, tell("Remarks"), tell("{number} more, at Control", number=len(found) - _MOST_REMARKS))

    def _show_proof(self, program: Program) -> None:
        """What the proof of the program found; one of another state is none."""
        proof = program.proof
        if program.proving:
            self._check(None, tell("Proof"), tell("computing …"))
        elif program.fault:
            self._check(False, tell("Proof"), program.fault)
        elif proof is None:
            self._check(False, tell("Proof"), tell("not proved yet"))
        elif program.is_old:
            self._check(
                False,
                tell("Proof"),
                tell("of {day}, of another state: prove it again", day=program.proved_at),
            )
        else:
            self._check(not proof.differs, tell("Proof"), joined(" ", (proof.verdict(), program.proved_at)))

    def _add_tick(self, key: CheckName, title: str, line: str) -> None:
        """What only the maker can see to, to be ticked; kept with who and when."""
        ticks = self._document.project.seen_to
        box = QCheckBox(tell(title))
        box.setFont(theme.font(bold=True))
        box.setChecked(key in ticks)

        def take(on: bool) -> None:
            kept = {**self._document.project.seen_to}
            kept.pop(key, None)
            if on:
                kept[key] = Tick(check=key, who=who(), at=now())
            ordered = tuple(kept[each] for each in CHECKS if each in kept)
            self._document.set(("checked",), ordered, f"{title}: {'seen to' if on else 'not seen to'}")

        box.clicked.connect(take)
        says = ticks[key].says if key in ticks else ""
        below = note(f"{line} ({says})" if says else line, "muted")
        below.setIndent(24)
        self._checks.addWidget(box)
        self._checks.addWidget(below)

    def _check(self, fine: bool | None, title: str, line: str) -> None:
        """A line of the list; None: not known yet."""
        sign, role = {True: ("✓", "met"), False: ("✕", "wrong"), None: ("…", "muted")}[fine]
        row = QWidget()
        layout = QHBoxLayout(row)
        layout.setContentsMargins(0, 5, 0, 0)
        mark = PlainLabel(sign)
        mark.setProperty("role", role)
        mark.setFont(theme.font(bold=True))
        mark.setFixedWidth(18)
        mark.setAlignment(Qt.AlignmentFlag.AlignTop)
        words = QVBoxLayout()
        words.setSpacing(0)
        head = PlainLabel(title)
        head.setFont(theme.font(bold=True))
        head.setWordWrap(True)
        words.addWidget(head)
        words.addWidget(note(line, "muted"))
        layout.addWidget(mark)
        layout.addLayout(words, 1)
        self._checks.addWidget(row)


def note(text: str, role: str) -> PlainLabel:
    """A small line of text."""
    label = PlainLabel(text)
    label.setFont(theme.font("small"))
    label.setProperty("role", role)
    label.setWordWrap(True)
    return label
