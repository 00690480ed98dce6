"""Pictures drawn by the strip itself, without a window."""

import os
from pathlib import Path

from PySide6.QtCore import QSize
from PySide6.QtGui import QImage, QPainter
from PySide6.QtWidgets import QApplication

from kelvarn.desktop import theme
from kelvarn.files.faults import FileError
from kelvarn.model.project import Project
from kelvarn.studies.results import Result
from kelvarn.units import Scale

from .strip.content import Entry, candidate_content
from .strip.strip import Strip

_SIZE = QSize(1000, 640)


def draw_trial(project: Project, trial: str, results: dict[str, Result], path: Path) -> None:
    """Draw all candidates on a trial as PNG.

    Args:
        project, trial: what; `results` by candidate name.
        path: written; its suffix does not matter.

    Raises:
        FileError: it cannot be written.
    """
    if QApplication.instance() is None:
        if not os.environ.get("DISPLAY") and not os.environ.get("WAYLAND_DISPLAY"):
            os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
        _keep.append(QApplication(["kelvarn"]))
        theme.use(theme.PAPER)
    entries = [
        Entry(candidate, results[candidate.name], index, candidate.name == project.chosen, stale=False)
        for index, candidate in enumerate(project.candidates)
        if candidate.name in results
    ]
    selected = project.chosen if project.chosen in results else next(iter(results))
    strip = Strip()
    strip.resize(_SIZE)
    strip.show_content(candidate_content(project.trial(trial), project.scale or Scale.CELSIUS, entries, selected))
    image = QImage(_SIZE, QImage.Format.Format_RGB32)
    image.fill(theme.current().color("ground"))
    painter = QPainter(image)
    strip.paint_lanes(painter)
    painter.end()
    if not image.save(str(path), "PNG"):  # type: ignore[call-overload]
        raise FileError(f"{path} cannot be written.")


_keep: list[QApplication] = []
"""Qt needs its application object to live as long as anything is drawn."""
