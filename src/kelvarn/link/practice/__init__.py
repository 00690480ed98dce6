"""A device that is not there: a rig of a project in real time or faster, with the generated program as its brain.

`plant.py` is the rig, `brain.py` the program, `rig.py` both together, `serve.py` the wire. Nobody else knows of them:
whoever speaks with it meets it as a stranger's board.
"""
