"""The events of a trial as blocks."""

from kelvarn.desktop.language import tell
from kelvarn.desktop.strip.blocks import rows_of
from kelvarn.desktop.strip.lane import Handle, Lane, LaneSpan
from kelvarn.model.event_base import EventBase, heading_of
from kelvarn.model.events import EVENT_KINDS
from kelvarn.units import Quantity, show

from .scene import Scene

_HEIGHT, _ROW, _OF_A_KIND = 44, 16, 30
_MOST_AGAIN = 200
_EARLY, _TITLE = 0.2, 12  # share of the time under the title, and px that it takes


def events_lane(scene: Scene, kind: str | None = None) -> Lane:
    """Events as blocks that can be moved and stretched; overlapping ones stand in rows. Of one kind, or of all."""
    places = [k for k, event in enumerate(scene.trial.events) if kind is None or event.kind == kind]
    events, end = [scene.trial.events[k] for k in places], scene.trial.duration_s
    ends = [end if event.lasts_s is None else event.end_s for event in events]
    rows = rows_of([(event.at_s, until) for event, until in zip(events, ends, strict=True)])
    spans, handles = [], list[Handle]()
    for k, event, until, row in zip(places, events, ends, rows, strict=True):
        spans += _again(event, end, row)
        spans.append(LaneSpan(event.at_s, until, event.text(scene.scale), event.color, faint=event.faint, row=row))
        if scene.drags is not None:
            handles += _handles(scene, k, event, until, row)
    height = _HEIGHT + _ROW * max(0, max(rows, default=0) - 1)
    early = any(event.at_s < _EARLY * end for event in events)
    if kind is not None:
        height -= _HEIGHT - _OF_A_KIND
    if early:
        height += _TITLE
    title = tell("Events") if kind is None else tell(heading_of(EVENT_KINDS[kind].what))
    return Lane(
        "events" if kind is None else f"events {kind}", title, None, height, spans=tuple(spans), handles=tuple(handles),
        nothing=tell("nothing happens meanwhile"), below_title=early,
    )  # fmt: skip


def _again(event: EventBase, end_s: float, row: int) -> list[LaneSpan]:
    """The blocks of an event that repeats, after its first."""
    if event.again_s is None or event.lasts_s is None:
        return []
    count = min(int((end_s - event.at_s) / event.again_s), _MOST_AGAIN)
    begins = [event.at_s + k * event.again_s for k in range(1, count + 1)]
    return [
        LaneSpan(at, at + event.lasts_s, "", event.color, faint=event.faint, row=row) for at in begins if at < end_s
    ]


def _handles(scene: Scene, k: int, event: EventBase, until: float, row: int) -> list[Handle]:
    drags = scene.drags
    assert drags is not None
    found = []
    if event.lasts_s is not None:
        found.append(
            Handle(
                tell("the end of “{event}”", event=event.name), "block_end", "time",
                lambda time_s, _: drags.event_end(k, time_s),
                at_s=event.at_s, to_s=until, row=row, text=tell(show(until, Quantity.DURATION)),
                step_s=drags.time_step_s,
            )
        )  # fmt: skip
    found.append(
        Handle(
            f"“{event.name}”", "block", "time", lambda time_s, _: drags.event_at(k, time_s), at_s=event.at_s,
            to_s=until, row=row, text=tell(show(event.at_s, Quantity.DURATION)), step_s=drags.time_step_s,
        )
    )  # fmt: skip
    return found
