"""The window, and pictures drawn by the strip itself; the only layer that imports Qt.

    theme       every colour, size and font
    parts/      widgets and texts that know no project
    strip/      lanes on one time axis, and the gestures on them
    state/      document with undo, what is looked at, what is computed, work under way, what is kept
    fields/     widgets bound to one model field each
    lanes/      what the strips show, made into lanes
    charts/     charts other than the strip
    stations/   Rig, Fit, Control, Trial, Handover, and what they share
    frame/      the window round them, and the start of the program

Each imports only from those above it. Start reading at `frame/window.py`; data goes document -> runner -> stations, and
edits go back through `Document.apply`.
"""
