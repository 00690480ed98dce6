"""What the strips show, made into lanes: runs of candidates, bodies of one run, the open-loop step, events.

    scene        what is shown: project, trial, candidates with their results
    temperature  what is controlled with its setpoint; bodies, probes
    drive        drive, outputs, terms, flow, on-times
    events       events as blocks
    step         the open-loop step
    sayings      what a person would say of a run
    edits        what dragging does to the project
    choice       the lanes that can be chosen

Imports `desktop/strip` for what a lane is, never the widget.
"""
