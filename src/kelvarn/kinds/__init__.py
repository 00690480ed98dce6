"""Kinds of rigs that a project may begin with: five or six questions, each with a guess, and what is built of them.

Imports what `demos` may import. Start reading at `kind.py`; `kinds.py` lists them, and each is built in a module of its
own family: `vessels.py` (boxes, pots, blocks), `hot.py` (kilns, rooms), `cold.py` (fans, fridges), `others.py`.
"""

from .kind import Answers, Kind, Question
from .kinds import KINDS, kind_of

__all__ = ["KINDS", "Answers", "Kind", "Question", "kind_of"]
