"""The logs that come with the demos: made by `docs/demo_logs.py` from rigs that are not quite the demos'."""

import json
from functools import cache
from importlib.resources import files
from typing import Any

from kelvarn.model.log import Log, LogNote, LogReading, LogSpan

_FOLDER = files(__package__) / "logs"


@cache
def _readings() -> dict[str, Any]:
    made: dict[str, Any] = json.loads((_FOLDER / "readings.json").read_text(encoding="utf-8"))
    return made


def recorded(
    file: str,
    name: str,
    use: str = "fit",
    left_out: tuple[LogSpan, ...] = (),
    moments: tuple[LogNote, ...] = (),
    used: LogSpan | None = None,
) -> Log:
    """A log that comes with the demos.

    Args:
        file: its name in the folder.
        name, use, left_out, moments, used: as of a `Log`.
    """
    return Log.model_validate(
        {
            "name": name,
            "file": file,
            "use": use,
            "confirmed": True,
            "used": used,
            "reading": LogReading.model_validate(_readings()[file]),
            "left_out": left_out,
            "moments": moments,
            "raw": (_FOLDER / file).read_bytes(),
        }
    )
