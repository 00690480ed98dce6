"""The events of a trial as blocks."""

from kelvarn.desktop.strip.blocks import rows_of
from kelvarn.desktop.strip.lane import Handle, Lane, LaneSpan
from kelvarn.model.events import EventBase
from kelvarn.units import Quantity, show

from .scene import Scene

_HEIGHT, _ROW = 44, 16


def events_lane(scene: Scene) -> Lane:
    """Events as blocks that can be moved and stretched; overlapping ones stand in rows."""
    events, end = scene.trial.events, scene.trial.duration_s
    ends = [end if event.lasts_s is None else event.at_s + event.lasts_s for event in events]
    rows = rows_of([(event.at_s, until) for event, until in zip(events, ends, strict=True)])
    spans, handles = [], list[Handle]()
    for k, (event, until, row) in enumerate(zip(events, ends, rows, strict=True)):
        spans.append(LaneSpan(event.at_s, until, event.text(scene.scale), event.color, faint=event.faint, row=row))
        if scene.drags is not None:
            handles += _handles(scene, k, event, until, row)
    height = _HEIGHT + _ROW * max(0, max(rows, default=0) - 1)
    return Lane(
        "events", "Events", None, height, spans=tuple(spans), handles=tuple(handles),
        nothing="nothing happens meanwhile",
    )  # fmt: skip


def _handles(scene: Scene, k: int, event: EventBase, until: float, row: int) -> list[Handle]:
    drags = scene.drags
    assert drags is not None
    found = []
    if event.lasts_s is not None:
        found.append(
            Handle(
                f"the end of “{event.name}”", "block_end", "time", lambda time_s, _: drags.event_end(k, time_s),
                at_s=event.at_s, to_s=until, row=row, text=show(until, Quantity.DURATION), step_s=drags.time_step_s,
            )
        )  # fmt: skip
    found.append(
        Handle(
            f"“{event.name}”", "block", "time", lambda time_s, _: drags.event_at(k, time_s), at_s=event.at_s,
            to_s=until, row=row, text=show(event.at_s, Quantity.DURATION), step_s=drags.time_step_s,
        )
    )  # fmt: skip
    return found
