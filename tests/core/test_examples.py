"""The documents: examples print what stands behind their arrows; the reference of commands is that of the program."""

import importlib.util
from pathlib import Path
from types import ModuleType

import pytest

from kelvarn.demos import DEMOS

DOCS = Path(__file__).parents[2] / "docs"
FOLDER = DOCS / "examples"


def loaded(path: Path) -> ModuleType:
    """A script that stands outside of the package."""
    found = importlib.util.spec_from_file_location(path.stem, path)
    assert found is not None
    assert found.loader is not None
    made = importlib.util.module_from_spec(found)
    found.loader.exec_module(made)
    return made


fill = loaded(FOLDER / "fill.py")


@pytest.mark.parametrize("name", fill.names())
def test_an_example_prints_what_it_says(name: str) -> None:
    text = (FOLDER / f"{name}.py").read_text(encoding="utf-8")
    assert fill.filled(name) == text, f"python docs/examples/fill.py {name}"
    assert text.count("\n# →") == text.count("\n# %%") >= 2


def test_each_demo_has_one() -> None:
    texts = "\n".join((FOLDER / f"{name}.py").read_text(encoding="utf-8") for name in fill.names())
    assert [demo.name for demo in DEMOS if f'kv.demo("{demo.name}")' not in texts] == []


def test_the_reference_names_each_command_with_its_options() -> None:
    text, made = (DOCS / "commands.md").read_text(encoding="utf-8"), loaded(DOCS / "commands.py")
    for name, command in made.commands().items():
        assert "\n".join(made.head(name, command)) in text, f"python docs/commands.py: {name} has changed"
        prints = any("--json" in each.opts for each in command.params)
        assert prints == (name in made.ASKED) or name in ("points", "watch"), name
