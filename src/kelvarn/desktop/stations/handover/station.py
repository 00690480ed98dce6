"""Puts the Handover station together."""

from datetime import date
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtGui import QHideEvent, QTextDocument
from PySide6.QtPrintSupport import QPrintDialog, QPrinter
from PySide6.QtWidgets import (
    QButtonGroup,
    QCheckBox,
    QFrame,
    QHBoxLayout,
    QPushButton,
    QTextBrowser,
    QVBoxLayout,
    QWidget,
)

from kelvarn.desktop import theme
from kelvarn.desktop.fields.plain import heading
from kelvarn.desktop.parts.boxes import ask_where
from kelvarn.desktop.parts.elided import ElidedLine
from kelvarn.desktop.parts.menus import Command
from kelvarn.desktop.parts.panel import Columns, Scrolled
from kelvarn.desktop.parts.plain import PlainLabel
from kelvarn.desktop.stations.report import write_pdf
from kelvarn.desktop.stations.station import Context, Phrase, Station
from kelvarn.engine.measures import ended_text
from kelvarn.files.writing import file_stem, write_text
from kelvarn.handover.other_words import other_words
from kelvarn.handover.settings import fingerprint, settings_text
from kelvarn.handover.sheet import sheet_html
from kelvarn.handover.user_page import user_page_html
from kelvarn.model.candidate import Candidate
from kelvarn.model.project import CHECKS, CheckName
from kelvarn.studies.results import Result
from kelvarn.units import counted

from .verdicts import Verdicts

_USER, _SHEET, _JSON = "user", "sheet", "json"
_SHORT = 40  # letters of a value that stands out; a longer one is a sentence
_TARGETS = (
    (_SHEET, "Sheet to print", "for who builds it", "html"),
    (_USER, "Page by the machine", "for who uses it", "html"),
    (_JSON, "Settings as JSON", "for your own code", "json"),
)


class HandoverStation(Station):
    """The chosen candidate's settings, ready to be taken away."""

    title, keys = "Handover", "Ctrl+6"

    def __init__(self, context: Context) -> None:
        super().__init__(context)
        self._document, self._view, self._runner = context.document, context.view, context.runner
        self._target = _SHEET
        self._shown: object = None
        self.verdicts = Verdicts(self._runner.jobs)
        self.verdicts.updated.connect(self.refresh)
        self.verdicts.updated.connect(self.stands_elsewhere)
        self.page = QTextBrowser()
        self.page.setOpenLinks(False)
        self.page.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.page.setAccessibleName("The sheet or settings as they will be written")
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
        self._checks = QVBoxLayout()
        self._checks.setSpacing(2)
        self._words = QVBoxLayout()
        self._words.setSpacing(2)
        right = QWidget()
        column = QVBoxLayout(right)
        column.setContentsMargins(2, 0, theme.GAP, 0)
        column.addWidget(heading("Ready to hand over?"))
        column.addLayout(self._checks)
        column.addSpacing(14)
        self._words_heading = heading("Same settings for other controllers")
        column.addWidget(self._words_heading)
        column.addLayout(self._words)
        column.addStretch(1)
        scroll = Scrolled(right)
        scroll.setMinimumWidth(theme.RIGHT_WIDTH - 60)
        self.write_button = QPushButton()
        self.write_button.setProperty("main", True)
        self.write_button.clicked.connect(self.ask_where)
        self._foot_text = ElidedLine("body", "muted", ground="panel")
        foot = QFrame()
        foot.setProperty("foot", True)
        row = QHBoxLayout(foot)
        row.setContentsMargins(16, 10, 16, 10)
        row.setSpacing(14)
        row.addWidget(self.write_button)
        row.addWidget(self._foot_text, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, theme.GAP, 0, 0)
        layout.setSpacing(6)
        layout.addWidget(Columns(self._targets(), middle, scroll), 1)
        layout.addWidget(foot)

    def _targets(self) -> QWidget:
        left = QWidget()
        column = QVBoxLayout(left)
        column.setContentsMargins(0, 0, 8, 0)
        column.setSpacing(8)
        column.addWidget(heading("What for"))
        group = QButtonGroup(self)
        self.target_buttons: dict[str, QPushButton] = {}
        for key, title, line, _ in _TARGETS:
            button = _Target(title, line)
            button.setChecked(key == self._target)
            button.clicked.connect(lambda _=False, k=key: self.set_target(k))
            group.addButton(button)
            column.addWidget(button)
            self.target_buttons[key] = button
        column.addStretch(1)
        return left

    def set_target(self, key: str) -> None:
        """Show the sheet, the page or the settings."""
        self._target = key
        self.target_buttons[key].setChecked(True)
        self.refresh()

    @property
    def candidate(self) -> Candidate:
        """The candidate that goes to the device: the chosen one, else the selected one."""
        project = self._document.project
        return project.candidate(project.chosen) if project.chosen is not None else self._view.candidate(project)

    def text(self) -> str:
        """What would be written now."""
        project = self._document.project
        if self._target == _JSON:
            return settings_text(project, self.candidate, self._view.trial(project))
        if self._target == _USER:
            return user_page_html(
                project, self.candidate.name, self.verdicts.results, self.verdicts.failures, self._view.scale,
                date.today(),
            )  # fmt: skip
        trial = self._view.trial(project).name
        result = self._runner.result_of(self.candidate.name)
        results = {trial: result} if result is not None and self.candidate.name not in self._runner.faults else {}
        others = {name: each for name, each in self.verdicts.results.items() if isinstance(each, Result)}
        results |= {name: each for name, each in others.items() if name != trial}
        return sheet_html(project, self.candidate.name, results, self.verdicts.failures, self._view.scale, date.today())

    def commands(self) -> list[Command]:
        return [Command("&Project", "Print the sheet…", "Ctrl+P", self.shown(self.ask_print))]

    def ask_print(self) -> None:
        """Ask for a printer and print the sheet, or the page where that is shown."""
        if self._target == _JSON:
            self.set_target(_SHEET)
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
        self._foot_text.say(f"Printed: {printer.docName()}")

    def phrase(self) -> Phrase:
        chosen = self._document.project.chosen
        if chosen is None:
            return Phrase("choose a candidate first", "begin")
        return Phrase(f"{chosen} to hand over", "fine" if self.verdicts.fine() else "look")

    def hideEvent(self, event: QHideEvent) -> None:
        self.verdicts.stop()
        super().hideEvent(event)

    def refresh(self) -> None:
        if not self.isVisible():  # making the sheet takes longer than a frame
            return
        project, candidate = self._document.project, self.candidate
        self.verdicts.request(project, candidate)
        text = self.text()
        look = (text, self._target, theme.current().name)
        self._file_name.say(self._suggested().name)
        self._state.setText(f"state {fingerprint(project, candidate)}")
        if look != self._shown:
            self._shown = look
            if self._target == _JSON:
                self.page.setStyleSheet("")
                self.page.setFont(theme.fixed_font())
                self.page.setPlainText(text)
            else:
                # It is shown as it will be printed: on paper, in either theme.
                self.page.setStyleSheet(f"background: {theme.PAPER.panel}; color: {theme.PAPER.ink};")
                self.page.setFont(theme.font())
                self.page.setHtml(text)
        what = {_SHEET: "sheet", _USER: "page", _JSON: "settings"}[self._target]
        self.write_button.setText(f"Write the {what}…")
        self._foot_text.say(
            "All numbers in base units; each key names its unit."
            if self._target == _JSON
            else "One page, HTML or PDF, complete in itself; Ctrl+P prints it."
        )
        self._show_checks(candidate)
        rows = other_words(project, candidate, self._view.trial(project), self._view.scale)
        _clear(self._words)
        self._words_heading.setVisible(bool(rows))
        for row in rows:
            self._words.addWidget(_note(row.what, "muted"))
            value = PlainLabel(row.value)
            value.setFont(theme.font(bold=len(row.value) <= _SHORT))
            value.setWordWrap(True)
            value.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
            self._words.addWidget(value)

    def _show_checks(self, candidate: Candidate) -> None:
        project = self._document.project
        _clear(self._checks)
        chosen = project.chosen is not None
        self._check(chosen, f"Chosen: {candidate.name}" if chosen else "No candidate is chosen",
                    candidate.strategy if chosen else f"{candidate.name} is shown; choose one in Control")  # fmt: skip
        self._show_trials()
        self._show_failures()
        for key, (title, line) in CHECKS.items():
            self._add_tick(key, title, line)

    def _show_trials(self) -> None:
        """How it does on every trial: what is not met first, with the trial; at last that all are met."""
        results = self.verdicts.results
        if not results:
            self._check(None, "Marks of all trials", "computing …")
            return
        missed = 0
        for name, result in results.items():
            if isinstance(result, str):
                self._check(False, f"{name}: it cannot be computed", result)
                missed += 1
                continue
            ended = result.measures.ended
            if ended is not None:
                self._check(False, f"{name}: {ended_text(*ended)}", "what was measured after that is none")
                missed += 1
            for verdict in result.verdicts:
                if not verdict.met and ended is None:
                    said = f"{verdict.text(self._view.scale)}, asked {verdict.mark.limit_text(self._view.scale)}"
                    self._check(False, f"{name}: {verdict.mark.title} not met", said)
                    missed += 1
        count = sum(len(result.verdicts) for result in results.values() if isinstance(result, Result))
        if not missed:
            on = counted(len(results), "trial")
            self._check(
                bool(count), f"All {count} marks of {on} met" if count else "No marks are set", ", ".join(results)
            )

    def _show_failures(self) -> None:
        """What happens if one thing fails, on every trial."""
        if not self.verdicts.failures:
            self._check(None, "If one thing fails", "computing …")
        for name, table in self.verdicts.failures.items():
            if isinstance(table, str):
                self._check(False, f"{name}: failures cannot be tried", table)
            else:
                self._check(table.safe, f"{name}: if one thing fails", table.verdict(self._view.scale))

    def _add_tick(self, key: CheckName, title: str, line: str) -> None:
        """What only the maker can see to, to be ticked."""
        box = QCheckBox(title)
        box.setFont(theme.font(bold=True))
        box.setChecked(key in self._document.project.checked)

        def take(on: bool) -> None:
            kept = tuple(
                each
                for each in CHECKS
                if (each == key and on) or (each != key and each in self._document.project.checked)
            )
            self._document.set(("checked",), kept, f"{title}: {'seen to' if on else 'not seen to'}")

        box.clicked.connect(take)
        note = _note(line, "muted")
        note.setIndent(24)
        self._checks.addWidget(box)
        self._checks.addWidget(note)

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
        words.addWidget(_note(line, "muted"))
        layout.addWidget(mark)
        layout.addLayout(words, 1)
        self._checks.addWidget(row)

    def _suggested(self) -> Path:
        suffix = {key: suffix for key, _, _, suffix in _TARGETS}[self._target]
        by = "-by-the-machine" if self._target == _USER else ""
        return Path(f"{file_stem(f'{self._document.project.name}-{self.candidate.name}')}{by}.{suffix}")

    def ask_where(self) -> None:
        """Ask for a file and write it."""
        folder = self._document.path.parent if self._document.path is not None else Path.home()
        suggested = self._suggested()
        kinds = "JSON (*.json)" if self._target == _JSON else "HTML (*.html);;PDF (*.pdf)"
        path = ask_where(self, "Write", folder / suggested, kinds)
        if path is not None:
            self.context.guarded(lambda: self.write(path))()

    def write(self, path: Path) -> None:
        """Write what is shown. Raises FileError, which the window shows."""
        if path.suffix.lower() == ".pdf" and self._target != _JSON:
            write_pdf(self.text(), path)
        else:
            write_text(path, self.text())
        self._foot_text.say(f"Written: {path}")


class _Target(QPushButton):
    """What the settings are for: a title and a line below it."""

    def __init__(self, title: str, line: str) -> None:
        super().__init__()
        self.setCheckable(True)
        self.setProperty("target", True)
        self.setMinimumHeight(54)
        self.setAccessibleName(title)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(11, 6, 8, 6)
        layout.setSpacing(1)
        head = PlainLabel(title)
        head.setFont(theme.font(bold=True))
        for label in (head, _note(line, "muted")):
            label.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
            layout.addWidget(label)


def _note(text: str, role: str) -> PlainLabel:
    label = PlainLabel(text)
    label.setFont(theme.font("small"))
    label.setProperty("role", role)
    label.setWordWrap(True)
    return label


def _clear(layout: QVBoxLayout) -> None:
    while (item := layout.takeAt(0)) is not None:
        if (widget := item.widget()) is not None:
            widget.hide()  # it goes later, and must not lie under what comes
            widget.deleteLater()
