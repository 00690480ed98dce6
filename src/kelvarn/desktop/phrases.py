"""Where the file stands, in words."""

from datetime import UTC, datetime

from .document import Document


def saved_phrase(document: Document) -> str:
    """Whether and where the project is saved."""
    if document.path is None:
        return "never saved" if document.dirty else "not saved yet"
    if document.dirty:
        return f"{document.path.name}, changed"
    try:
        saved = datetime.fromtimestamp(document.path.stat().st_mtime, UTC)
    except OSError:
        return f"{document.path.name} is gone"
    minutes = int((datetime.now(UTC) - saved).total_seconds() // 60)
    if minutes < 1:
        return "saved just now"
    return f"saved {minutes} min ago" if minutes < 120 else f"saved {saved.astimezone():%d %b %H:%M}"
