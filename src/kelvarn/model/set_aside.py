"""A remark that was set aside, with the reason."""

from .fields import ModelBase, OneLine, field


class SetAside(ModelBase):
    """It is told no more; the reason is kept."""

    remark: OneLine = field(..., "Remark", "Which remark it is, by its key.", max_length=60)
    reason: OneLine = field(..., "Reason", "Why it does not count here.", min_length=1, max_length=200)
