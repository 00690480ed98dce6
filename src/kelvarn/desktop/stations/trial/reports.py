"""The report, asked for in the window: computed beside it, written when all of it is there."""

from collections.abc import Callable
from pathlib import Path

from PySide6.QtWidgets import QWidget

from kelvarn.desktop.language import tell
from kelvarn.desktop.parts.boxes import ask_where
from kelvarn.desktop.stations.report import write_report
from kelvarn.desktop.stations.station import Context
from kelvarn.handover.report import Findings, findings

Say = Callable[[str], None]


def ask_report(parent: QWidget, context: Context, say: Say) -> None:
    """Ask where the report goes, and write it once all of it is computed."""
    opened = context.document.path
    folder = opened.parent if opened is not None else Path.home()
    path = ask_where(parent, tell("Report"), folder / "report.pdf", "PDF (*.pdf);;HTML (*.html)")
    if path is not None:
        report_into(context, say, path)


def report_into(context: Context, say: Say, path: Path) -> None:
    """Compute a report of the selected candidate beside the window, and write it."""
    project, scale = context.document.project, context.view.scale
    candidate = context.view.candidate(project).name

    def done(outcome: object) -> None:
        assert isinstance(outcome, Findings)
        written = context.guarded(lambda: write_report(project, outcome, scale, path))()
        say(f"The report is in {path.name}." if written else "The report is not written.")

    say("writing the report …")
    context.runner.jobs.start("report", lambda: findings(project, candidate, scale=scale), done)
