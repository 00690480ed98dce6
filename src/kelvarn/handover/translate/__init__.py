"""The control step in other languages: read with Python's own `ast`, pruned to a candidate, and written.

`program.py` reads it, `values.py` works out which values each thing can have, `prune.py` takes away what they rule out,
`c99.py` writes C. Nothing of a law, a guard or the plan is written a second time.
"""
