"""What can be done with the parts of a rig: one place for menu, keys and the bar below the heat path."""

from collections.abc import Callable

from kelvarn.desktop.document import Document
from kelvarn.model.fields import SURROUNDINGS
from kelvarn.model.rig_edit import add_body, add_link, remove_body, remove_link, unlinked


class RigActions:
    """Adds and removes parts.

    Args:
        document: what is edited.
        select: shows that another part is selected; True asks for its name to be typed.

    Attributes:
        selected: the part selected, as in `PartItem.key`.
    """

    def __init__(self, document: Document, select: Callable[[str, bool], None]) -> None:
        self._document, self._select = document, select
        self.selected = ""

    @property
    def body(self) -> str | None:
        """The body selected; None where something else is."""
        names = self._document.project.rig.body_names
        return self.selected if self.selected in names else None

    def add_body(self) -> None:
        """Add a body, linked to the selected one, else to the surroundings. Raises EditError where there is no room."""
        changed, name = add_body(self._document.project, self.body or SURROUNDINGS)
        self._document.apply(changed, f"add {name}")
        self._select(name, True)

    def can_link(self) -> list[str]:
        """What the selected body can be linked to."""
        return unlinked(self._document.project.rig, self.body) if self.body is not None else []

    def link(self, other: str) -> None:
        """Link the selected body to another one or to the surroundings."""
        if self.body is not None and other in self.can_link():
            self._document.apply(add_link(self._document.project, self.body, other), f"link {self.body} to {other}")

    def add_loss(self) -> None:
        """Link the selected body to the surroundings."""
        self.link(SURROUNDINGS)

    def unlink(self, index: int) -> None:
        """Take a link out."""
        link = self._document.project.rig.links[index]
        self._document.apply(remove_link(self._document.project, index), f"unlink {link.a} and {link.b}")

    def remove(self) -> None:
        """Remove the selected body. Raises EditError where something depends on it."""
        if self.body is not None:
            gone = self.body
            changed = remove_body(self._document.project, gone)
            self._select(changed.rig.probe.body, False)
            self._document.apply(changed, f"remove {gone}")
