"""The pages' templates, loaded when first needed: Jinja takes a part of the window's start."""

from functools import cache
from typing import Any


@cache
def template(name: str) -> Any:
    """A template beside this module by its file's name."""
    from jinja2 import Environment, PackageLoader

    made = Environment(loader=PackageLoader("kelvarn", "handover"), autoescape=True, trim_blocks=True)
    return made.get_template(name)
