"""What stands beside a device: what was expected of it, what it did, tests, the first hour. Knows nothing of Qt.

`session.py` is the link with all that is kept of it; `observer.py` and `expected.py` say what should be; `tasks.py` has
the tests, `first_hour.py` the steps before the first heat.
"""
