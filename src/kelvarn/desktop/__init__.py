"""The window, and pictures drawn by the strip itself; the only layer that imports Qt.

    app         start of the program: theme, compiling in the background, exceptions of every thread
    window      the frame: the line of stations, menus, the stations themselves
    document    the project being edited: undo, save state, autosave
    runner      computes what the stations show; the desktop itself never computes
    view        what is looked at (trial, candidate, cursor, units): not part of the project
    theme       every colour, size and font
    fields/     widgets bound to one model field each
    strip/      lanes on one time axis, and the gestures on them
    control/    the Control station        rig/       the Rig station        handover/  the Handover station

Start reading at `window.py`; data goes document -> runner -> stations, and edits go back through `Document.apply`.
"""
