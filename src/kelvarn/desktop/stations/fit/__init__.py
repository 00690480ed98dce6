"""The Fit station: logs, how they are read, models over them, what has changed, what to record, calibration.

`station` puts it together; `knowledge` has it computed beside the window; `edits` is what it does to the project.
"""
