"""A run from a model: pure functions of frozen data.

Imports `units` and `model` only. Order of reading: `run.py` (the way through); `arrays.py` (a model as plain arrays,
with `layout.py` and `tables.py`); `codes.py` (kinds and places); `probes.py`, `laws.py`, `sharing.py` and `drives.py`
(what is read, decided and what becomes of it); `heat.py` or `curved.py` (where the heat goes) and `kernel.py` (the
closed loop); `measures.py`, `marks.py`, `why.py` (decisions in words); `steady.py` and `step.py` (a rig without a
controller); `sums.py` (values from what things are). Modules with compiled functions load numba when imported; `run.py`
and `control.py` import them only when first asked to compute, so that a window can open meanwhile.
"""
