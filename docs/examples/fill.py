"""Puts behind the arrows of the examples what they print: `python docs/examples/fill.py`. A test looks that it is so."""

import contextlib
import io
import re
import sys
from pathlib import Path

HERE = Path(__file__).parent
_ARROW = re.compile(r"^# →.*(?:\n# {3}.*)*$", re.MULTILINE)


def names() -> list[str]:
    """The examples."""
    return sorted(path.stem for path in HERE.glob("*.py") if path != Path(__file__))


def filled(name: str) -> str:
    """The text of an example as it must be: each cell with what it prints."""
    text = (HERE / f"{name}.py").read_text(encoding="utf-8")
    cells, place = [], {"__name__": "__main__"}
    for cell in re.split(r"(?m)^(?=# %%)", text):
        told = io.StringIO()
        with contextlib.redirect_stdout(told):
            exec(compile(cell, name, "exec"), place)
        lines = told.getvalue().splitlines()
        arrow = "\n".join(f"# {'→' if k == 0 else ' '} {line}" for k, line in enumerate(lines))
        cells.append(_ARROW.sub(lambda _, arrow=arrow: arrow, cell))
    return "".join(cells)


if __name__ == "__main__":
    for each in sys.argv[1:] or names():
        (HERE / f"{each}.py").write_text(filled(each), encoding="utf-8")
