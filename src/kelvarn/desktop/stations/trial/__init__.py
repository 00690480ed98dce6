"""The Trial station: what a candidate is put through, what keeps it safe, and what happens when something fails.

`station.py` puts it together from `cards.py` (trials), `safety_list.py` (guards and permits), `panel.py` (what is
selected), `variants_panel.py`, and `foot.py` (tables). `actions.py` edits.
"""
