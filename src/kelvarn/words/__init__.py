"""What the engine decided and found, in sentences; start reading at `why.py`.

    why          one sentence on a sample of a run; laws/NAME what each law says of itself there
    guards       what rules over the law, and the alarms
    reading      an open-loop step
    limitations  what the model of a rig does not know

Numbers come from the engine, and nothing here computes any; the engine does not know these.
"""
