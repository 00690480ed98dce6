"""From logs to models. It may import tune, studies, engine and model; the window and the commands import it.

`observed` is what of a log counts; `response` fits lags and a dead time, `rig_fit` the bodies and links; `trust` says
how far to believe it, `changes` what is no longer as it was, `planning` what to record. Start reading at `response.py`.
"""
