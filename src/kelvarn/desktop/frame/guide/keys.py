"""The commands with their keys, as a table for the page of keys."""

from kelvarn.desktop.parts.menus import Menus
from kelvarn.desktop.parts.plain import bare_text


def keys_table(menus: Menus) -> str:
    """Every command that has keys, by menu, as Markdown."""
    rows = []
    for title, menu in menus.menus.items():
        for action in menu.actions():
            keys = ", ".join(each.toString() for each in action.shortcuts())
            name = next((name for name, each in menus.actions.items() if each is action), "")
            if keys and name:
                rows.append(f"| {bare_text(title)} | {name} | {keys} |")
    return "\n".join(["| Menu | Command | Keys |", "|---|---|---|", *rows])
