"""What the window shows with nothing open: kinds of rigs, demos, files opened lately. Start reading at `screen.py`."""
