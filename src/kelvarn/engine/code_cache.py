"""Machine code kept on disk, in a folder for exactly this version and machine; what is spoilt is as good as missing."""

import hashlib
import os
import re
import shutil
import tempfile
from collections.abc import Iterator
from contextlib import suppress
from functools import cache
from importlib.util import find_spec
from pathlib import Path

from platformdirs import user_cache_path


@cache
def cache_folder(machine: str) -> Path:
    """Where compiled code of exactly this version, for exactly this machine, is kept."""
    spec = find_spec("numba")
    assert spec is not None
    assert spec.origin is not None
    digest = hashlib.sha256(machine.encode())
    digest.update(Path(spec.origin).with_name("_version.py").read_bytes())
    for path in _sources():
        digest.update(path.read_bytes())
    return user_cache_path("kelvarn") / "compiled" / digest.hexdigest()[:16]


def _sources() -> Iterator[Path]:
    """All that may be compiled into another: an edit of a function changes all that call it."""
    yield from sorted(Path(__file__).parent.rglob("*.py"))


def forget_old(folder: Path, keep: int = 4) -> None:
    """Remove what other versions left beside a folder of compiled code, but for the newest: a few megabytes each."""
    with suppress(OSError):
        found = (p for p in folder.parent.iterdir() if p != folder and re.fullmatch("[0-9a-f]{16}", p.name))
        others = sorted(found, key=lambda p: p.stat().st_mtime)
        for old in others[: max(0, len(others) - keep)]:
            shutil.rmtree(old, ignore_errors=True)


def read(path: Path) -> bytes | None:
    """What is kept in a file after its digest; None where there is none, or not a whole one."""
    with suppress(OSError):
        if path.stat().st_uid not in (os.geteuid(), 0):  # it is run: nobody else may have put it there
            return None
        kept = path.read_bytes()
        if kept[:32] == hashlib.sha256(kept[32:]).digest():
            return kept[32:]
    return None


def write(path: Path, code: bytes) -> None:
    """Keep it; a folder that cannot be written is no error, it is compiled again the next time."""
    with suppress(OSError):
        path.parent.mkdir(parents=True, exist_ok=True)
        handle, name = tempfile.mkstemp(dir=path.parent)
        try:
            with os.fdopen(handle, "wb") as file:
                file.write(hashlib.sha256(code).digest() + code)
            Path(name).replace(path)
        except OSError:
            Path(name).unlink(missing_ok=True)
