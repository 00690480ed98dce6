"""Links to devices: the line protocol, the practice rig, what is recorded.

May import all that lies above it, handover among it; knows nothing of Qt. Start reading at `lines.py`, then
`device.py`. Whatever speaks otherwise (a bus, a broker, devices of others) is a `Source` of lines: `spoken.py`.
"""
