"""A run from a model: pure functions of frozen data.

Imports `units` and `model` only. Order of reading: `run.py` (the way through), `arrays.py` (a model as plain arrays),
`codes.py` (kinds and places), `laws.py` and `drives.py` (what is decided and what becomes of it), `heat.py` and
`kernel.py` (the closed loop), `measures.py`, `marks.py`, `why.py` (decisions in words). Modules with compiled functions
load numba when imported; `run.py` and `control.py` import them only when first asked to compute, so that a window can
open meanwhile.
"""
