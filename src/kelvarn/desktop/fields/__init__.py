"""Widgets bound to one field of the project each; quantity, range and texts come from the model's declaration.

binding    where a field stands, and how it is read, set and named
typed      the line that is typed in
number     a number with its unit, typed or stepped
ruler      the same on a ruler that can be dragged
plain      names, choices and switches
"""
