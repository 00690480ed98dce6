"""Links to devices: the line protocol, the practice rig, what is recorded.

May import all that lies above it, handover among it; knows nothing of Qt. Start reading at `lines.py`, then
`device.py`.
"""
