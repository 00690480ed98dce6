"""A run from a model: pure functions of frozen data.

Imports `units` and `model` only. Order of reading: `run.py` (the way through); `arrays.py` (a model as plain arrays,
with `layout.py` and `tables.py`); `codes.py` (kinds and places); `probes.py`, `watching.py`, `laws.py`, `sharing.py`
and `drives.py` (what is read, decided and what becomes of it); `heat.py` or `curved.py` (where the heat goes) and
`kernel.py` (the closed loop); `scan.py`, `measures.py`, `marks.py`, `why.py` (decisions in words); `steady.py` and
`step.py` (a rig without a controller); `sums.py` (values from what things are). Compiled functions are loaded, or
compiled, when first asked for (`jit.py`, `native.py`), so that a window can open meanwhile.
"""
