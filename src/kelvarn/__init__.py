"""Kelvarn: tune closed-loop temperature control before power is applied.

The layers, each importing only from those above it:

    units      temperatures, durations, powers: parse and show
    model      what the user describes, frozen and validated
    engine     a run from a model: records, control step, kernel, measures, marks
    words      what the engine decided and found, in sentences
    studies    many runs: results of a project, batches on a pool of threads
    tune       where to start from: tuning rules, ultimate point, reserve
    fit        logs to models: lags, the rig itself, what has changed, what to record
    demos      the made-up projects that ship with Kelvarn
    files      the project file, logs, the autosave journal, tables
    handover   settings and the sheet that go with the machine
    link       devices: the line protocol, what is recorded, the practice rig
    guide      the pages of the guide, for the window and for docs/
    desktop    the window; the only layer that imports Qt
    cli, api   the commands; and a face for Python: `import kelvarn as kv`, then `kv.run(kv.demo())`

Data goes one way: Project -> records -> kernel -> Run -> measures -> marks -> strip.
Start reading at `model/project.py`, then `engine/run.py`, then `desktop/window.py`.
"""

from importlib import import_module
from typing import Any

__version__ = "1.0.0rc1"


def __getattr__(name: str) -> Any:
    """What `api.py` gives, loaded when it is first asked for: a command starts without it."""
    face = import_module("kelvarn.api") if not name.startswith("_") else None
    if face is None or name not in face.__all__:
        raise AttributeError(f"module 'kelvarn' has no attribute {name!r}")
    return getattr(face, name)


def __dir__() -> list[str]:
    return [*globals(), *import_module("kelvarn.api").__all__]
