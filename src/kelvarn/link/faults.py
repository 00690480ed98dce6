"""What is wrong with a link, in sentences."""


class LinkError(RuntimeError):
    """A link cannot be opened, or is lost. The message says what, where and what to do."""

    @property
    def said(self) -> str:
        """The message, which knows of what it was made."""
        said: str = self.args[0]
        return said
