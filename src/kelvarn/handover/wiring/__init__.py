"""How a device is wired: the pins of boards, what flows where, what is wrong with it, what to buy, the drawing.

Start at `circuit.py`, which completes a project's wiring; `warnings.py`, `parts_list.py` and `drawing.py` read it.
"""
