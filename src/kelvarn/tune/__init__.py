"""Where to start from: tuning rules, the ultimate point. Imports `units`, `model`, `engine` and `studies` only.

    plant     what the rules know of a rig: gain, lag and dead time, or rise and dead time
    rules     every rule with its source and the range that it was published for
    ultimate  gain and period at which a loop just keeps ringing, exactly

Start reading at `rules.py`.
"""
