"""The report with its pictures, written as HTML or PDF."""

import base64
from datetime import date
from pathlib import Path

from PySide6.QtCore import QMarginsF, QSize, QSizeF
from PySide6.QtGui import QPageLayout, QPageSize, QPdfWriter, QTextDocument

from kelvarn.desktop.lanes.scene import CandidateEntry, Scene
from kelvarn.desktop.lanes.trial import trial_lanes
from kelvarn.desktop.parts.images import open_buffer, png_of
from kelvarn.desktop.stations.pictures import begin
from kelvarn.desktop.strip.strip import Strip
from kelvarn.files.writing import write_bytes, write_text
from kelvarn.handover.report import Findings, report_html
from kelvarn.model.project import Project
from kelvarn.studies.results import Result
from kelvarn.units import Scale

_SIZE = QSize(1000, 560)
_DOTS_PER_INCH = 150


def write_report(project: Project, found: Findings, scale: Scale, path: Path) -> None:
    """Write a report; PDF where the name ends so, else HTML. Raises FileError where it cannot be written."""
    begin()
    pictures = {
        trial.name: _picture(project, found.candidate, trial.name, result, scale)
        for trial in project.trials
        if isinstance(result := found.results[trial.name], Result)
    }
    html = report_html(project, found, pictures, scale, date.today())
    if path.suffix.lower() == ".pdf":
        write_pdf(html, path)
    else:
        write_text(path, html)


def _picture(project: Project, candidate: str, trial: str, result: Result, scale: Scale) -> str:
    """The strip of a trial as a data address."""
    index = [each.name for each in project.candidates].index(candidate)
    entry = CandidateEntry(project.candidates[index], result, index, candidate == project.chosen, stale=False)
    scene = Scene(project, project.trial(trial), scale, (entry,), entry, safety=True)
    strip = Strip()
    strip.resize(_SIZE)
    strip.show_lanes(trial_lanes(scene, _SIZE.height()))
    return "data:image/png;base64," + base64.b64encode(png_of(strip.image())).decode()


def write_pdf(html: str, path: Path) -> None:
    """Write a page of HTML as PDF. Raises FileError where it cannot be written."""
    begin()
    write_bytes(path, _pdf(html, path.stem))


def _pdf(html: str, title: str) -> bytes:
    """A page of HTML as a PDF of A4 pages."""
    buffer = open_buffer()
    writer = QPdfWriter(buffer)
    writer.setResolution(_DOTS_PER_INCH)
    writer.setPageSize(QPageSize(QPageSize.PageSizeId.A4))
    writer.setPageMargins(QMarginsF(14, 14, 14, 14), QPageLayout.Unit.Millimeter)
    writer.setTitle(title)
    document = QTextDocument()
    document.documentLayout().setPaintDevice(writer)
    document.setHtml(html)
    document.setPageSize(QSizeF(writer.width(), writer.height()))
    document.print_(writer)
    return bytes(buffer.data().data())
