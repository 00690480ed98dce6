"""Why something cannot be handed over."""


class HandoverError(ValueError):
    """A candidate cannot be carried over, or its program not compiled; a sentence that says what and what to do."""
