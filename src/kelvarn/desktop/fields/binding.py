"""Where a field stands in the project, and how it is read, set, shown and named."""

from typing import Any

from pydantic import ValidationError
from pydantic.fields import FieldInfo

from kelvarn.desktop.language import fault_told, number_heard, tell
from kelvarn.desktop.parts.boxes import first_sentence
from kelvarn.desktop.state.document import Document
from kelvarn.desktop.state.view import View
from kelvarn.model.edit import EditError, Path, value_at
from kelvarn.model.fields import empty_word, title_of, words_of
from kelvarn.units import Quantity, parse, shortened, show

_MOST_IN_A_NAME = 30


class Wrong(ValueError):
    """What was typed cannot be taken. The message is one sentence for beside the field."""


class Binding:
    """One field of the project.

    Args:
        document, view: where it stands, and in which units it is shown.
        path: its place.
        title: its name on screen; None takes that of the model.
    """

    def __init__(self, document: Document, view: View, path: Path, title: str | None = None) -> None:
        self.document, self.view, self.path = document, view, path
        self.info: FieldInfo = type(value_at(document.project, path[:-1])).model_fields[str(path[-1])]
        extra = self.info.json_schema_extra
        self.extra: dict[str, Any] = dict(extra) if isinstance(extra, dict) else {}
        self.title = title or tell(title_of(self.info, str(path[-1]), cools=document.project.rig.way.cools))
        self.quantity = Quantity(self.extra["quantity"]) if "quantity" in self.extra else None
        self.optional = type(None) in getattr(self.info.annotation, "__args__", ())

    @property
    def value(self) -> Any:
        """The value now."""
        return self.document.get(self.path)

    @property
    def alive(self) -> bool:
        """Whether the field still exists; parts come and go."""
        try:
            self.document.get(self.path)
        except (IndexError, AttributeError):
            return False
        return True

    def limit(self, name: str) -> float | None:
        """Lower ("ge") or upper ("le") end of the range, in the base unit."""
        return next((getattr(m, name) for m in self.info.metadata if hasattr(m, name)), None)

    def text(self, value: Any) -> str:
        """A value as it is shown."""
        if value is None:
            return ""
        if self.quantity is None:
            return tell(words_of(self.info, value))
        return tell(show(float(value), self.quantity, self.view.scale, exact=True))

    @property
    def meaning(self) -> str:
        """What it means, in a sentence."""
        return tell(self.info.description or "")

    @property
    def empty(self) -> str:
        """What it is called where there is none."""
        return tell(empty_word(self.info))

    def _name_of(self, value: Any) -> str:
        """A value in the name of an edit."""
        text = " ".join(self.text(value).split())
        return shortened(text, _MOST_IN_A_NAME) or tell("none")

    def range_text(self) -> str:
        """Its range, for the tool tip."""
        low, high = self.limit("ge"), self.limit("le")
        if low is None or high is None or self.quantity is None:
            return ""
        return f"{self._limit_text(low)} … {self._limit_text(high)}"

    def _limit_text(self, value: float) -> str:
        """An end of the range: not rounded, but for a long time, which would be a broken number of hours."""
        assert self.quantity is not None
        return tell(show(value, self.quantity, self.view.scale, exact=self.quantity is not Quantity.DURATION))

    def read(self, text: str, bare: str | None) -> float | None:
        """What a text means. Raises Wrong with a sentence."""
        if not text.strip() and self.optional:
            return None
        assert self.quantity is not None
        try:
            value = parse(number_heard(text), self.quantity, self.view.scale, bare)
        except ValueError as error:
            raise Wrong(fault_told(error)) from error
        self.check_range(value)
        return value

    def check_range(self, value: float) -> None:
        """Raise Wrong where a value is out of range."""
        low, high = self.limit("ge"), self.limit("le")
        if low is not None and value < low:
            raise Wrong(tell("At least {limit}.", limit=self._limit_text(low)))
        if high is not None and value > high:
            raise Wrong(tell("At most {limit}.", limit=self._limit_text(high)))

    def put(self, value: Any, *, dragged: bool = False) -> None:
        """Set the value, a named edit as in `Document.apply`. Raises Wrong where the project would not be valid."""
        if self.info.annotation is int and value is not None:
            value = round(value)
        if value == self.value:
            return
        before, after = (self._name_of(each) for each in (value_at(self.document.origin, self.path), value))
        try:
            self.document.set(self.path, value, f"{self.title} {before} → {after}", dragged=dragged)
        except ValidationError as error:
            raise Wrong(first_sentence(error, self.view.scale)) from error
        except EditError as error:
            raise Wrong(fault_told(error)) from error
