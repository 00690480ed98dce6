"""Commands for tests: in this process, which is quick, or in one of their own, as a user runs them."""

import io
import os
import subprocess
import sys
from typing import NamedTuple
from unittest import mock

from kelvarn.cli.app import main

_OF_DISPLAY = ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")


class Done(NamedTuple):
    """What a command did."""

    returncode: int
    stdout: str
    stderr: str


class _Terminal(io.StringIO):
    def isatty(self) -> bool:
        return True


def kelvarn(*arguments: object, terminal: bool = False) -> Done:
    """Run a command in this process, without a display; what is said on stderr may think it speaks to a terminal."""
    out, err, code = io.StringIO(), _Terminal() if terminal else io.StringIO(), 0
    without = {key: value for key, value in os.environ.items() if key not in _OF_DISPLAY}
    with (
        mock.patch.object(sys, "argv", ["kelvarn", *map(str, arguments)]),
        mock.patch.object(sys, "stdout", out),
        mock.patch.object(sys, "stderr", err),
        mock.patch.dict(os.environ, without, clear=True),
    ):
        try:
            main()
        except SystemExit as end:
            code = int(end.code or 0)
    return Done(code, out.getvalue(), err.getvalue())


def kelvarn_apart(*arguments: object, **environment: str) -> Done:
    """Run a command in a process of its own, without a display but where the environment given names one."""
    env = {k: v for k, v in os.environ.items() if k not in _OF_DISPLAY}
    done = subprocess.run(
        [sys.executable, "-m", "kelvarn", *map(str, arguments)],
        capture_output=True, text=True, env={**env, **environment}, check=False, timeout=240,
    )  # fmt: skip
    return Done(done.returncode, done.stdout, done.stderr)
