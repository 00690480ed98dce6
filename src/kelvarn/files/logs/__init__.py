"""Logs of any board or logger: `text` finds rows, `guess` what the columns are, `reader` makes numbers of them.

Start reading at `reader.py`: `read_log` is the way from bytes to arrays.
"""
