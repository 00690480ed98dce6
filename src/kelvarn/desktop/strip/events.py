"""The events lane: blocks that can be moved and stretched."""

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QPainter

from kelvarn.desktop import texts, theme
from kelvarn.model.trial import DoorOpens, DrawOffRuns, Event, Load, ProbeFault, SupplyChange, SurroundingsChange
from kelvarn.units import Quantity, Scale, minutes, show

from .content import Content
from .handles import Handle
from .lane import Frame, Lane

_COLORS = {
    "door": "gold", "surroundings": "glacier", "load": "ember", "draw_off": "glacier", "supply": "gold",
    "probe_fault": "ember",
}  # fmt: skip


def event_text(event: Event, scale: Scale) -> str:
    """An event in a few words."""
    match event:
        case DoorOpens() | DrawOffRuns():
            lasts = f" {minutes(event.lasts_s)}" if event.lasts_s is not None else ""
            return f"{event.name}{lasts}"
        case SurroundingsChange():
            return f"{event.name} {show(event.change_K, Quantity.DIFFERENCE, scale, sign=True)}"
        case Load():
            return f"{event.name} {show(event.power_W, Quantity.POWER, sign=True)}"
        case SupplyChange():
            return f"{event.name} {show(event.to, Quantity.DRIVE)}"
        case ProbeFault():
            return f"{event.name}: {event.fault}"


class EventsLane(Lane):
    """Events of the trial as blocks; overlapping ones stand in two rows."""

    height = 44

    def title(self, content: Content) -> str:
        return "Events"

    def _blocks(self, frame: Frame, content: Content) -> list[QRectF]:
        rows: list[float] = []
        found = []
        events = content.trial.events
        placed = []
        for event in events:
            end = content.trial.duration_s if event.lasts_s is None else event.at_s + event.lasts_s
            row = next((k for k, until in enumerate(rows) if until <= event.at_s), None)
            if row is None:
                rows.append(end)
                row = len(rows) - 1
            rows[row] = end
            placed.append((event.at_s, end, row))
        height = (frame.rect.height() - 14) / max(1, len(rows))
        for start, end, row in placed:
            left, right = frame.time.to_px(start), frame.time.to_px(end)
            top = frame.rect.top() + 7 + row * height
            found.append(QRectF(left, top, max(right - left, 5.0), height - 1))
        return found

    def paint(self, painter: QPainter, frame: Frame, content: Content) -> None:
        look = theme.current()
        title = self.paint_title(painter, frame, content)
        painter.save()
        painter.setClipRect(frame.rect)
        blocks = self._blocks(frame, content)
        taken = [*blocks, title]
        for event, block in zip(content.trial.events, blocks, strict=True):
            name = _COLORS[event.kind]
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(look.color(name, 0.32 if event.kind == "surroundings" else 0.8))
            painter.drawRoundedRect(block, 2, 2)
            text = event_text(event, content.scale)
            area = self._text_area(text, block, frame.rect, taken)
            inside = area.left() >= block.left() and area.right() <= block.right() + 1
            color = look.color("panel" if inside and event.kind != "surroundings" else "ink")
            texts.paint(painter, area, text, color, "small", bold=True, cut=True)
            taken.append(area)
        painter.restore()
        if not content.trial.events:
            area = frame.rect.adjusted(title.width() + 18, 0, 0, 0)
            texts.paint(painter, area, "nothing happens meanwhile", look.color("muted"), "small")

    @staticmethod
    def _text_area(text: str, block: QRectF, lane: QRectF, taken: list[QRectF]) -> QRectF:
        """Where a block's text goes: inside it, else beside it where there is most room, and cut if it must be."""
        seen = block.intersected(lane).adjusted(7, 0, -3, 0)
        width = texts.laid_out(text, "small", bold=True).width + 2
        if width <= seen.width():
            return seen
        others = [rect for rect in taken if rect.top() < block.bottom() and block.top() < rect.bottom()]
        end = min((r.left() for r in others if r.left() >= block.right()), default=lane.right()) - 6
        begin = max((r.right() for r in others if r.right() <= block.left()), default=lane.left()) + 6
        left, right = block.left() - 6, block.right() + 6
        if right + width <= end or end - right >= max(left - begin, seen.width()):
            return QRectF(right, block.top(), min(width, end - right), block.height())
        if left - begin > seen.width():
            room = min(width, left - begin)
            return QRectF(left - room, block.top(), room, block.height())
        return seen

    def handles(self, frame: Frame, content: Content) -> list[Handle]:
        found: list[Handle] = []
        for index, (event, block) in enumerate(zip(content.trial.events, self._blocks(frame, content), strict=True)):
            if not block.intersects(frame.rect):
                continue
            if event.lasts_s is not None:
                # The end is grabbed beside the block, so that a narrow one can still be moved.
                edge = QRectF(block.right() - 2, block.top(), 8, block.height())
                end = event.at_s + event.lasts_s
                found.append(
                    Handle("event_end", index, edge, False, end, f"Drag to change how long “{event.name}” lasts")
                )
            body = block.adjusted(-3, 0, -2 if event.lasts_s is not None else 0, 0)
            found.append(Handle("event_move", index, body, False, event.at_s, f"Drag to move “{event.name}”"))
        return found
