"""Processes killed while they save and keep work: the old file or the new one, at most 2 s of work lost, no litter.

    python -m tests.campaigns.kills [COUNT [SEED]]

The child edits every few milliseconds, saves now and then, and keeps its work as the window does; it says each edit on
a pipe. Prints what was found; ends with 1 where something was.
"""

import multiprocessing
import os
import random
import shutil
import sys
import tempfile
import time
from multiprocessing.connection import Connection
from pathlib import Path

from kelvarn.demos.cure_cabinet import cure_cabinet
from kelvarn.files.journal import left_behind
from kelvarn.files.project_file import load

_MOST_LOST_S = 2.0


def _work(folder: str, seed: int, said: Connection) -> None:
    """Edit, save and keep, until killed."""
    os.environ["QT_QPA_PLATFORM"] = "offscreen"
    from PySide6.QtCore import QCoreApplication, QTimer

    from kelvarn.desktop.state.document import Document
    from kelvarn.files.journal import Journal

    app = QCoreApplication([])
    path = Path(folder) / "x.kelvarn"
    document = Document(cure_cabinet(), None, Journal(Path(folder) / "journal"))
    document.save(path)
    rng, count = random.Random(seed), 0

    def edit() -> None:
        nonlocal count
        count += 1
        saved = rng.random() < 0.15
        document.set(("notes",), f"{count} " + "x" * rng.randrange(3000), "notes")
        if saved:
            document.save()
        said.send((count, time.monotonic(), saved))

    timer = QTimer()
    timer.timeout.connect(edit)
    timer.start(15)
    app.exec()


def _number(notes: str) -> int:
    return int(notes.split()[0]) if notes else 0


def _check(folder: Path, edits: list[tuple[int, float, bool]], killed_at: float) -> list[str]:
    found = []
    saved = load(folder / "x.kelvarn")
    last_saved = max((n for n, _, is_saved in edits if is_saved), default=0)
    if _number(saved.notes) < last_saved:
        found.append(f"the file has edit {_number(saved.notes)}, saved was {last_saved}")
    back = left_behind(folder / "journal")
    newest = max(_number(saved.notes), _number(back.project.notes) if back is not None else 0)
    lost = [at for n, at, _ in edits if n > newest]
    if lost and killed_at - lost[0] > _MOST_LOST_S:
        found.append(f"lost {killed_at - lost[0]:.2f} s of work")
    if back is not None:
        back.journal.clear()
    from kelvarn.files.project_file import save

    save(saved, folder / "x.kelvarn")
    litter = [path.name for path in folder.rglob("*") if path.is_file() and path.name != "x.kelvarn"]
    if litter:
        found.append(f"left lying: {litter}")
    return found


def main() -> int:
    """Run the campaign; the exit code."""
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 500
    seed = int(sys.argv[2]) if len(sys.argv) > 2 else 1
    rng, found = random.Random(seed), list[str]()
    context = multiprocessing.get_context("spawn")
    for k in range(count):
        folder = Path(tempfile.mkdtemp())
        ours, theirs = context.Pipe(duplex=False)
        process = context.Process(target=_work, args=(str(folder), k, theirs))
        process.start()
        theirs.close()
        edits = [ours.recv()]
        until = time.monotonic() + rng.uniform(0.0, 2.5 if k % 10 == 0 else 0.6)
        while (left := until - time.monotonic()) > 0:
            if ours.poll(left):
                edits.append(ours.recv())
        process.kill()
        killed_at = time.monotonic()
        process.join()
        while True:
            try:
                if not ours.poll(0.01):
                    break
                edits.append(ours.recv())
            except (EOFError, OSError):
                break
        ours.close()
        try:
            found += [f"kill {k}: {fault}" for fault in _check(folder, edits, killed_at)]
        except Exception as error:
            found.append(f"kill {k}: {type(error).__name__}: {error}")
        shutil.rmtree(folder)
        if (k + 1) % 25 == 0:
            print(f"{k + 1} kills, {len(found)} faults", flush=True)
    for fault in found[:50]:
        print(fault)
    return 1 if found else 0


if __name__ == "__main__":
    sys.exit(main())
