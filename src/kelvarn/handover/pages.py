"""The pages' templates, loaded when first needed: Jinja takes a part of the window's start."""

from functools import cache
from typing import Any


@cache
def template(name: str) -> Any:
    """A template beside this module by its file's name; what is put into a page is escaped, into a program not."""
    from jinja2 import Environment, PackageLoader

    is_page = ".html" in name
    made = Environment(loader=PackageLoader("kelvarn", "handover"), autoescape=is_page, trim_blocks=True)
    return made.get_template(name)
