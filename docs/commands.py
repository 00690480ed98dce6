"""Writes docs/commands.md out of the commands, with what each prints with --json: `python docs/commands.py`. Minutes.

What is printed is seen by running them on the demos; what a key means stands in the schema of results.
"""

import inspect
import json
import subprocess
import sys
import tempfile
from pathlib import Path
from typing import Any

import typer

from kelvarn.cli.app import app
from kelvarn.cli.results_schema import results_schema
from kelvarn.demos import find_demo
from kelvarn.files.project_file import save
from kelvarn.guide.pages import LOGS, source

HERE = Path(__file__).parent
ASKED = {
    "run": "cabinet.kelvarn", "vary": "cabinet.kelvarn --candidate P --count 20", "step": "cabinet.kelvarn",
    "tune": "--gain 100 --lag 900 --delay 30", "suggest": "bowl.kelvarn", "why": "cabinet.kelvarn --candidate P",
    "map": "cabinet.kelvarn --candidate P --x kp_per_K --y bias --measure overshoot_K",
    "failures": "cabinet.kelvarn --candidate P", "read": LOGS[0], "fit": LOGS[0], "compare": f"cabinet.kelvarn {LOGS[0]}",
    "diff": "cabinet.kelvarn bowl.kelvarn", "prove": "cabinet.kelvarn --candidate P",
    "wiring": "cabinet.kelvarn --out wiring",
}  # fmt: skip
"""Of each command that prints JSON what is asked to see it; those of devices need one."""


def commands() -> dict[str, Any]:
    """The commands that are to be seen, by name."""
    group: Any = typer.main.get_command(app)
    return {name: each for name, each in sorted(group.commands.items()) if not each.hidden}


def head(name: str, command: Any) -> list[str]:
    """What a command is for, its arguments and options, as Markdown."""
    arguments = " ".join(p.name.upper() if p.required else f"[{p.name.upper()}]"
                         for p in command.params if p.param_type_name == "argument")  # fmt: skip
    lines = [f"## kelvarn {name} {arguments}".rstrip(), "", inspect.cleandoc(command.help or ""), ""]
    options = [p for p in command.params if p.param_type_name == "option" and not p.hidden and p.help]
    if options:
        lines += ["| Option | What it does |", "|---|---|"]
        lines += [f"| `{', '.join(p.opts)}` | {' '.join(p.help.split())} |" for p in options]
        lines.append("")
    return lines


def keys(found: Any, schema: dict[str, Any], at: str = "") -> dict[str, str]:
    """The keys of an object, also those inside, each with what it means; what is named by the user is not one."""
    rows: dict[str, str] = {}
    for key, value in found.items() if isinstance(found, dict) else ():
        if key in schema:
            rows[f"{at}{key}"] = schema[key].get("description", "")
            inside = value[0] if isinstance(value, list) and value else value
            rows |= keys(inside, schema, f"{at}{key}{'[]' if isinstance(value, list) else ''}.")
    return rows


def main() -> None:
    """Run and write."""
    schema = results_schema()["$defs"]["object"]["properties"]
    lines = ["# Commands", "", "Each result of the window can be had without it. `--json` prints one object, of one schema for all",
             "([results.schema.json](results.schema.json)); the tables say which keys came from the demos. Exit codes: 0 done, 1 marks",
             "not met (with `--strict`) or a decision differs, 2 wrong use or bad input.", ""]  # fmt: skip
    with tempfile.TemporaryDirectory() as made:
        folder = Path(made)
        save(find_demo("cure-cabinet").build(), folder / "cabinet.kelvarn")
        save(find_demo("tempering-bowl").build(), folder / "bowl.kelvarn")
        for name in LOGS:
            (folder / name).write_bytes(source(name))
        for name, command in commands().items():
            lines += head(name, command)
            if name not in ASKED:
                continue
            asked = [sys.executable, "-m", "kelvarn", name, *ASKED[name].split(), "--json"]
            done = subprocess.run(asked, cwd=folder, capture_output=True, text=True)
            if done.returncode > 1:
                raise SystemExit(f"{name}: {done.stderr}")
            rows = keys(json.loads(done.stdout), schema)
            lines += [f"`kelvarn {name} {ASKED[name]} --json` prints", "", "| Key | What it is |", "|---|---|"]
            lines += [f"| `{key}` | {text} |" for key, text in rows.items()]
            lines.append("")
    (HERE / "commands.md").write_text("\n".join(lines), encoding="utf-8")


if __name__ == "__main__":
    main()
