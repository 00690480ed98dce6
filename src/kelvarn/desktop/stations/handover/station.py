"""Puts the Handover station together."""

import html
from datetime import date
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtGui import QHideEvent, QTextDocument
from PySide6.QtPrintSupport import QPrintDialog, QPrinter
from PySide6.QtWidgets import (
    QButtonGroup,
    QFileDialog,
    QFormLayout,
    QFrame,
    QHBoxLayout,
    QPushButton,
    QTextBrowser,
    QVBoxLayout,
    QWidget,
)

from kelvarn.desktop import theme
from kelvarn.desktop.fields.plain import Choice, heading
from kelvarn.desktop.language import tell, told
from kelvarn.desktop.parts.boxes import ask_where
from kelvarn.desktop.parts.elided import ElidedLine
from kelvarn.desktop.parts.menus import Command
from kelvarn.desktop.parts.panel import Columns, Scrolled
from kelvarn.desktop.parts.plain import PlainLabel, clear
from kelvarn.desktop.parts.target import Target
from kelvarn.desktop.stations.report import write_pdf
from kelvarn.desktop.stations.station import Context, Phrase, Station
from kelvarn.files.writing import file_stem, write_text
from kelvarn.handover.board_files import BOARDS
from kelvarn.handover.bought import bought_html
from kelvarn.handover.faults import HandoverError
from kelvarn.handover.kept import changed_text
from kelvarn.handover.other_words import other_words
from kelvarn.handover.settings import SheetRow, fingerprint, settings_text
from kelvarn.handover.sheet import sheet_html
from kelvarn.handover.user_page import user_page_html
from kelvarn.handover.wiring.circuit import circuit_of
from kelvarn.handover.wiring.files import wiring_files
from kelvarn.handover.worked_cases import worked_cases
from kelvarn.handover.writing import write_files
from kelvarn.model.candidate import Candidate
from kelvarn.sentence import figures, say
from kelvarn.studies.results import Result
from kelvarn.units import counted

from .adjust_panel import AdjustPanel
from .ask_reading import AskReading
from .program import PROOF, Program
from .program_view import ProgramView
from .ready import Ready, note
from .targets import BOARD, BOUGHT, JSON, NUMBERS, SHEET, TARGETS, USER, WIRING
from .typed import BoughtFields, Typed
from .verdicts import Verdicts
from .wiring import WiringPages

_WRITE = {SHEET: say("Write the sheet…"), JSON: say("Write the settings…"),
          USER: say("Write the page…"), BOUGHT: say("Write the page…")}  # fmt: skip
_LEFT_WIDTH = 228  # what the fields below the targets need
_SHORT = 40  # letters of a value that stands out; a longer one is a sentence


class HandoverStation(Station):
    """The chosen candidate's settings, ready to be taken away."""

    title, keys = say("Handover"), "Ctrl+6"

    def __init__(self, context: Context) -> None:
        super().__init__(context)
        self._document, self._view, self._runner = context.document, context.view, context.runner
        self._target = SHEET
        self._shown: object = None
        self.verdicts = Verdicts(self._runner.jobs)
        self.verdicts.updated.connect(self.refresh)
        self.verdicts.updated.connect(self.stands_elsewhere)
        self.program = Program(self._document, self._runner.jobs)
        self.program.updated.connect(self.refresh)
        self._runner.jobs.progressed.connect(self._proving)
        self.program_view = ProgramView(self.program)
        self.typed = Typed(self._runner.jobs)
        self.typed.updated.connect(self.refresh)
        self.page = QTextBrowser()
        self.page.setOpenLinks(False)
        self.page.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.page.setAccessibleName(tell("The sheet or settings as they will be written"))
        self._file_name = ElidedLine("title")
        self._state = PlainLabel()
        self._state.setProperty("role", "muted")
        head = QHBoxLayout()
        head.addWidget(self._file_name, 1)
        head.addWidget(self._state)
        middle = QWidget()
        column = QVBoxLayout(middle)
        column.setContentsMargins(0, 0, 0, 0)
        column.addLayout(head)
        column.addWidget(self.page, 1)
        column.addWidget(self.program_view, 1)
        self.wiring = WiringPages(self._document, self._view)
        column.addWidget(self.wiring.view, 1)
        self._ready = Ready(self._document, self._view, self.verdicts)
        self._words = QVBoxLayout()
        self._words.setSpacing(2)
        right = QWidget()
        column = QVBoxLayout(right)
        column.setContentsMargins(2, 0, theme.GAP, 0)
        column.addWidget(self.wiring.panel)
        column.addWidget(heading(tell("Ready to hand over?")))
        column.addWidget(self._ready)
        column.addSpacing(14)
        self._words_heading = heading(tell("Same settings for other controllers"))
        column.addWidget(self._words_heading)
        self.ask = AskReading(self._document, self._view)
        column.addWidget(self.ask)
        column.addLayout(self._words)
        column.addStretch(1)
        scroll = Scrolled(right)
        scroll.setMinimumWidth(theme.RIGHT_WIDTH - 60)
        self.write_button = QPushButton()
        self.write_button.setProperty("main", True)
        self.write_button.clicked.connect(self.ask_where)
        self.prove_button = QPushButton(tell("Prove"))
        self.prove_button.clicked.connect(self._prove_or_stop)
        self._foot_text = ElidedLine("body", "muted", ground="panel")
        foot = QFrame()
        foot.setProperty("foot", True)
        row = QHBoxLayout(foot)
        row.setContentsMargins(16, 10, 16, 10)
        row.setSpacing(14)
        row.addWidget(self.write_button)
        row.addWidget(self.prove_button)
        row.addWidget(self._foot_text, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, theme.GAP, 0, 0)
        layout.setSpacing(6)
        layout.addWidget(Columns(self._targets(), middle, scroll, _LEFT_WIDTH), 1)
        layout.addWidget(foot)

    def _targets(self) -> QWidget:
        left = QWidget()
        column = QVBoxLayout(left)
        column.setContentsMargins(0, 0, 8, 0)
        column.setSpacing(8)
        column.addWidget(heading(tell("What for")))
        group = QButtonGroup(self)
        self.target_buttons: dict[str, QPushButton] = {}
        for key, title, line, _ in TARGETS:
            button = Target(title, line)
            button.setChecked(key == self._target)
            button.clicked.connect(lambda _=False, k=key: self.set_target(k))
            group.addButton(button)
            column.addWidget(button)
            self.target_buttons[key] = button
        self._board = QWidget()
        form = QFormLayout(self._board)
        form.setContentsMargins(0, 8, 0, 0)
        self.boards = Choice()
        self.boards.setAccessibleName(tell("Board that it goes into"))
        for name, kind in BOARDS.items():
            self.boards.addItem(kind.title, name)
        self.boards.activated.connect(self._take_board)
        self.boards.setMinimumContentsLength(8)
        self.boards.setSizeAdjustPolicy(Choice.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        form.addRow(PlainLabel(tell("Board")), self.boards)
        self.numbers = Choice()
        self.numbers.setAccessibleName(tell("Numbers of the program"))
        self.numbers.setToolTip(tell("32 bits take half the room, on a chip that has no more of them"))
        for real, number in NUMBERS:
            self.numbers.addItem(number, real)
        self.numbers.activated.connect(self._take_numbers)
        form.addRow(PlainLabel(tell("Numbers")), self.numbers)
        column.addWidget(self._board)
        self._measured = note("", "muted")
        column.addWidget(self._measured)
        self.adjust_panel = AdjustPanel(self._document, self._view, self.program)
        column.addWidget(self.adjust_panel)
        column.addWidget(self.wiring.parts)
        self.bought_fields = BoughtFields(self._document, self._view)
        column.addWidget(self.bought_fields)
        column.addStretch(1)
        return left

    def set_target(self, key: str) -> None:
        """Show the sheet, the page or the settings."""
        self._target = key
        self.target_buttons[key].setChecked(True)
        self.refresh()

    def _take_board(self, place: int) -> None:
        self.program.board = list(BOARDS)[place]
        doubles = BOARDS[self.program.board].doubles
        self.numbers.setEnabled(doubles)
        if not doubles:
            self.numbers.setCurrentIndex(1)
            self.program.real = "float"
        self.refresh()

    def _take_numbers(self, place: int) -> None:
        self.program.real = NUMBERS[place][0]
        self.refresh()

    def _prove_or_stop(self) -> None:
        if self.program.proving:
            self.program.stop()
        else:
            self.program.prove()

    def _proving(self, channel: str, share: float) -> None:
        if channel == PROOF and self.program.proving:
            self.prove_button.setText(tell("Stop proving · {share}", share=figures(f"{share:.0%}", "")))

    @property
    def candidate(self) -> Candidate:
        """The candidate that goes to the device: the chosen one, else the selected one."""
        project = self._document.project
        return project.candidate(project.chosen) if project.chosen is not None else self._view.candidate(project)

    def text(self) -> str:
        """What would be written now."""
        project = self._document.project
        if self._target == JSON:
            return settings_text(project, self.candidate, self._view.trial(project))
        if self._target == USER:
            return user_page_html(
                project, self.candidate.name, self.verdicts.results, self.verdicts.failures, self._view.scale,
                date.today(),
            )  # fmt: skip
        if self._target == BOUGHT:
            try:
                return bought_html(
                    project, self.candidate, self.verdicts.results, self.typed.results, self._view.scale, date.today()
                )
            except HandoverError as error:
                return f"<p>{html.escape(str(error))}</p>"
        trial = self._view.trial(project).name
        result = self._runner.result_of(self.candidate.name)
        results = {trial: result} if result is not None and self.candidate.name not in self._runner.faults else {}
        others = {name: each for name, each in self.verdicts.results.items() if isinstance(each, Result)}
        results |= {name: each for name, each in others.items() if name != trial}
        return sheet_html(project, self.candidate.name, results, self.verdicts.failures, self._view.scale, date.today())

    def commands(self) -> list[Command]:
        return [Command("&Project", say("Print the sheet…"), "Ctrl+P", self.shown(self.ask_print))]

    def ask_print(self) -> None:
        """Ask for a printer and print the sheet, or the page where that is shown."""
        if self._target in (JSON, BOARD, WIRING):
            self.set_target(SHEET)
        printer = QPrinter(QPrinter.PrinterMode.HighResolution)
        printer.setDocName(self._suggested().stem)
        dialog = QPrintDialog(printer, self)
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.accepted.connect(lambda: self.print_on(printer))
        dialog.setWindowModality(Qt.WindowModality.WindowModal)
        dialog.show()

    def print_on(self, printer: QPrinter) -> None:
        """Print the sheet."""
        document = QTextDocument()
        document.setHtml(self.text())
        document.print_(printer)
        self._foot_text.say(tell("Printed: {name}", name=printer.docName()))

    def phrase(self) -> Phrase:
        chosen = self._document.project.chosen
        if chosen is None:
            return Phrase(tell("choose a candidate first"), "begin")
        return Phrase(tell("{chosen} to hand over", chosen=chosen), "fine" if self.verdicts.fine() else "look")

    def hideEvent(self, event: QHideEvent) -> None:
        self.verdicts.stop()
        super().hideEvent(event)

    def refresh(self) -> None:
        if not self.isVisible():  # making the sheet takes longer than a frame
            return
        project, candidate = self._document.project, self.candidate
        self.verdicts.request(project, candidate, self._view.trial(project))
        board, wiring = self._target == BOARD, self._target == WIRING
        self.bought_fields.setVisible(self._target == BOUGHT)
        if self._target == BOUGHT:
            self.typed.request(project, candidate)
            self.bought_fields.refresh()
        self.wiring.refresh(shown=wiring)
        self.page.setVisible(not board and not wiring)
        for widget in (self.program_view, self.prove_button, self._board, self._measured, self.adjust_panel):
            widget.setVisible(board)
        if board:
            self.program.request(project, candidate, self._view.trial(project), self._view.scale)
        self._ready.refresh(candidate, self.program if board else None)
        self._show_words(candidate)
        if board:
            self._show_program()
            return
        if wiring:
            self._file_name.say(f"{self._suggested().name}/")
            self._state.setText(counted(len(self.wiring.warned), "warning"))
            self.write_button.setText(tell("Write drawing, list …"))
            self._foot_text.say(tell("SVG and CSV: drawing, terminals, what to buy, warnings."))
            return
        text = self.text()
        look = (text, self._target, theme.current().name)
        self._file_name.say(self._suggested().name)
        self._state.setText(tell("state {state}", state=fingerprint(project, candidate)))
        if look != self._shown:
            self._shown = look
            if self._target == JSON:
                self.page.setStyleSheet("")
                self.page.setFont(theme.fixed_font())
                self.page.setPlainText(text)
            else:
                # It is shown as it will be printed: on paper, in either theme.
                self.page.setStyleSheet(f"background: {theme.PAPER.panel}; color: {theme.PAPER.ink};")
                self.page.setFont(theme.font())
                self.page.setHtml(text)
        self.write_button.setText(tell(_WRITE[self._target]))
        if self._target == JSON:
            self._foot_text.say(tell("All numbers in base units; each key names its unit."))
        else:
            self._foot_text.say(tell("One page, HTML or PDF, complete in itself; Ctrl+P prints it."))

    def _show_program(self) -> None:
        """The program's files and its proof."""
        project, candidate = self._document.project, self.candidate
        trial, files = self._view.trial(project), self.program.files
        self.program_view.refresh()
        proof = self.program.proof
        self.adjust_panel.refresh(candidate)
        measured = [told(each.text) for each in proof.measured] if proof is not None else []
        self._measured.setText("\n".join(measured))
        self._measured.setVisible(bool(measured))
        self._file_name.say(tell("{name}/  follows “{trial}”", name=self._suggested().name, trial=trial.name))
        last, state = self.program.last, tell("state {state}", state=fingerprint(project, candidate))
        self._state.setText(state if last is None else f"{changed_text(self.program.changed, last)} · {state}")
        count = len(files) if isinstance(files, dict) else 0
        files_said = tell("Write {files}…", files=counted(count, "file"))
        self.write_button.setText(files_said if count else tell("Write the files…"))
        self.write_button.setEnabled(bool(count))
        self.prove_button.setEnabled(bool(count))
        if not self.program.proving:
            self.prove_button.setText(tell("Prove") if self.program.proof is None else tell("Prove again"))
        self._foot_text.say(
            tell("The control step that ran in every trial, translated; not written anew. It takes half a minute.")
        )

    def _show_words(self, candidate: Candidate) -> None:
        """The same settings in other words; of a program, cases to try by hand."""
        project, board = self._document.project, self._target == BOARD
        if board:
            rows = [SheetRow(case.what, case.must) for case in worked_cases(project, candidate, self._view.scale)]
        else:
            rows = other_words(project, candidate, self._view.trial(project), self._view.scale)
        clear(self._words)
        self.ask.setVisible(board)
        self.ask.refresh(candidate)
        words = tell("Cases: make it read this" if board else "Same settings for other controllers")
        self._words_heading.setText(words)
        self._words_heading.setVisible(bool(rows))
        for row in rows:
            self._words.addWidget(note(row.what, "muted"))
            value = PlainLabel(row.value)
            value.setFont(theme.font(bold=len(row.value) <= _SHORT))
            value.setWordWrap(True)
            value.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
            self._words.addWidget(value)

    def _suggested(self) -> Path:
        suffix = {key: suffix for key, _, _, suffix in TARGETS}[self._target]
        by = {USER: "-by-the-machine", BOUGHT: "-to-type", WIRING: "-wiring"}.get(self._target, "")
        return Path(f"{file_stem(f'{self._document.project.name}-{self.candidate.name}')}{by}.{suffix}".rstrip("."))

    def ask_where(self) -> None:
        """Ask for a file and write it."""
        folder = self._document.path.parent if self._document.path is not None else Path.home()
        suggested = self._suggested()
        if self._target in (BOARD, WIRING):
            name, _ = QFileDialog.getSaveFileName(self, tell("Write into a new folder"), str(folder / suggested))
            if name:
                self.context.guarded(lambda: self.write(Path(name)))()
            return
        kinds = "JSON (*.json)" if self._target == JSON else "HTML (*.html);;PDF (*.pdf)"
        path = ask_where(self, tell("Write"), folder / suggested, kinds)
        if path is not None:
            self.context.guarded(lambda: self.write(path))()

    def write(self, path: Path) -> None:
        """Write what is shown. Raises FileError, which the window shows."""
        if self._target == BOARD:
            self.program.write(path)
        elif self._target == WIRING:
            write_files(wiring_files(circuit_of(self._document.project)), path)
        elif path.suffix.lower() == ".pdf" and self._target != JSON:
            write_pdf(self.text(), path)
        else:
            write_text(path, self.text())
        self._foot_text.say(tell("Written: {path}", path=path))
