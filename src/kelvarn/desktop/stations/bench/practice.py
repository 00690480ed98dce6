"""A practice rig in a process of its own, begun from the window: nothing of it is known here but where it answers."""

import ctypes
import signal
import subprocess
import sys
import tempfile
from pathlib import Path

from kelvarn.files.project_file import save
from kelvarn.model.project import Project

_ENDS_WITHIN_S = 5.0


class PracticeProcess:
    """A practice rig that was begun from here; it ends with the window, however that ends."""

    def __init__(self) -> None:
        self._process: subprocess.Popen[bytes] | None = None
        self._file: Path | None = None

    def begin(self, project: Project, candidate: str, trial: str, speed: float) -> None:
        """Begin one.

        Args:
            project: that it practises.
            candidate, trial: names of whose program it has.
            speed: how much faster than real time.
        """
        self._file = Path(tempfile.mkdtemp(prefix="kelvarn-bench-")) / "practice.kelvarn"
        save(project, self._file)
        self._process = subprocess.Popen(
            [sys.executable, "-m", "kelvarn", "practice", str(self._file), "--candidate", candidate, "--trial", trial,
             "--speed", f"{speed:g}", "--tcp", "0"],
            stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, stdin=subprocess.DEVNULL, preexec_fn=_ends_with_us,
        )  # fmt: skip

    def where(self) -> str:
        """Where it is reached, once it is: the first line that it prints; empty where it did not begin."""
        process = self._process
        if process is None or process.stdout is None:
            return ""
        return process.stdout.readline().decode(errors="replace").strip()

    def end(self) -> None:
        """End it; again does nothing."""
        process, self._process = self._process, None
        if process is not None:
            process.terminate()
            try:
                process.wait(_ENDS_WITHIN_S)
            except subprocess.TimeoutExpired:
                process.kill()
                process.wait()
            if process.stdout is not None:
                process.stdout.close()
        file, self._file = self._file, None
        if file is not None:
            file.unlink(missing_ok=True)
            file.parent.rmdir()


def _ends_with_us() -> None:
    """In the practice rig's process: it ends when the window does."""
    ctypes.CDLL(None).prctl(1, signal.SIGTERM)  # PR_SET_PDEATHSIG
