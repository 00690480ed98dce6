"""The guide: pages in `pages/`, the same in the window (F1) and in `docs/guide/`. Knows the model and the rules, no Qt.

pages      the pages, their sections and their steps; start reading here
formulas   how each measure and each rule is worked out
settings   every setting of the project, out of its declaration
"""
