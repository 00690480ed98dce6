"""Pictures drawn by the strip itself, without a window."""

import os
from pathlib import Path

from PySide6.QtCore import QSize
from PySide6.QtWidgets import QApplication

from kelvarn.desktop import theme
from kelvarn.desktop.lanes.choice import chosen_lanes
from kelvarn.desktop.lanes.scene import CandidateEntry, scene_of
from kelvarn.desktop.parts.images import png_of
from kelvarn.desktop.strip.strip import Strip
from kelvarn.files.writing import write_bytes
from kelvarn.model.mark import Mark
from kelvarn.model.project import Project
from kelvarn.model.trial import Trial
from kelvarn.studies.gain_map import GainMap
from kelvarn.studies.results import Result
from kelvarn.units import Scale

_SIZE, _MAP_SIZE = QSize(1000, 640), QSize(640, 560)


def draw_trial(project: Project, trial: str, results: dict[str, Result], path: Path) -> None:
    """Draw all candidates on a trial.

    Args:
        project, trial: what; `results` by candidate name.
        path: written, as vectors where its suffix is .svg, else as PNG.

    Raises:
        FileError: it cannot be written.
    """
    begin()
    found = [
        CandidateEntry(candidate, results[candidate.name], index, candidate.name == project.chosen, stale=False)
        for index, candidate in enumerate(project.candidates)
        if candidate.name in results
    ]
    selected = project.chosen if project.chosen in results else next(iter(results))
    strip = Strip()
    strip.resize(_SIZE)
    scene = scene_of(project, project.trial(trial), project.scale or Scale.CELSIUS, found, selected)
    strip.show_lanes(chosen_lanes(scene, _SIZE.height()))
    strip.save_picture(path)


def draw_map(project: Project, trial: Trial, known: GainMap, ref: Mark, path: Path) -> None:
    """Draw a gain map as PNG.

    Args:
        project, trial: of what.
        known: the map.
        ref: the measure shown as colour.
        path: written.

    Raises:
        FileError: it cannot be written.
    """
    begin()
    from kelvarn.desktop.charts.map_plot import MapPlot  # the library takes a second to import

    drawing = MapPlot()
    drawing.resize(_MAP_SIZE)
    drawing.draw(known, ref, project.scale or Scale.CELSIUS, marks=bool(trial.marks))
    drawing.name_axes(known)
    drawing.grab()  # lays it out
    write_bytes(path, png_of(drawing.grab().toImage()))


def begin() -> None:
    """See that there is an application to draw with."""
    if QApplication.instance() is None:
        if not os.environ.get("DISPLAY") and not os.environ.get("WAYLAND_DISPLAY"):
            os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
        _keep.append(QApplication(["kelvarn"]))
        theme.use(theme.PAPER)


_keep: list[QApplication] = []
"""Qt needs its application object to live as long as anything is drawn."""
