"""What the user describes: rig, candidates, trials, marks and the project that holds them.

Frozen pydantic data; each field carries its quantity, range and one sentence, and screens, errors and the JSON
Schema are made from that. Imports `units` only. Start reading at `project.py`.
"""
