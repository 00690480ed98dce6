"""A run from a model: pure functions of frozen data.

Imports `units` and `model` only. What is compiled is plain typed Python on records (`records.py`, `compiled.py`),
loaded or compiled when first asked for, so that a window can open meanwhile. Order of reading:

- `run.py`: the way through, from a rig, a controller and a trial to a `Run`; `prepare.py` makes them ready for the
  kernel, with `layout.py` (the rig as records) and `changes.py` (what happens when);
- `plant.py`: every field that the kernel knows; `kernel.py`: the loop, with `applying.py` (what a change does);
  `probes.py`, `drives.py`: its ends;
- `control.py`: the control step, plan → ask → rule → took, with `plan.py`, `laws/` and `guards.py`;
- `heat.py`: what a link carries; where it goes: `linear.py` with `matrices.py`, or `nonlinear.py` with `slopes.py`
  and `icing.py`;
- `survey.py`, `measures.py`, `marks.py`: what is read off a run and judged; what is said of it is in `words/`;
- `steady.py`, `output.py`, `step.py`: a rig without a controller; `flows.py`: watts at an instant; `sums.py`: values
  from what things are.
"""
