"""Keys of the parts of a rig, by which they are selected: a body goes by its name, all else by kind and place.

A name holds no line break, so that no body can be taken for something else.
"""

from kelvarn.model.rig import Rig

_MARK = "\n"
SURROUNDINGS = f"{_MARK}surroundings"
GOAL = f"{_MARK}goal"
"""No part of the heat path, but something whose fields are shown."""


def key_of(kind: str, index: int) -> str:
    """Key of a drive, probe, link or draw_off by its place in the rig."""
    return f"{_MARK}{kind} {index}"


def parse_key(key: str) -> tuple[str, int] | None:
    """Kind and place of a part; None for a body, the surroundings and the goal."""
    if not key.startswith(_MARK) or key in (SURROUNDINGS, GOAL):
        return None
    kind, _, index = key[1:].partition(" ")
    return kind, int(index)


def known_keys(rig: Rig) -> list[str]:
    """Keys of all that there is, in the order in which the arrow keys go through them."""
    parts = {"drive": rig.drives, "probe": rig.probes, "link": rig.links, "draw_off": rig.draw_offs}
    found = [key_of("drive", k) for k in range(len(rig.drives))] + list(rig.body_names)
    for kind in ("link", "draw_off", "probe"):
        found += [key_of(kind, k) for k in range(len(parts[kind]))]
    return [*found, SURROUNDINGS]
