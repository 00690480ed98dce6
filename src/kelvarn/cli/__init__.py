"""The commands; start reading at `app.py`.

A command imports what it needs when it runs, so that all of them start quickly. Results go to stdout, everything else
to stderr; what is wrong use or bad input is one line and exit code 2.
"""
