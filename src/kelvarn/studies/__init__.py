"""Many runs: results of a project, kept by content, and studies as streams of runs that differ.

Imports `units`, `model` and `engine` only. Order of reading: `results.py` (a candidate's run on a trial, with measures
and verdicts), `batch.py` (many runs on a pool of threads, with a small result each).
"""
