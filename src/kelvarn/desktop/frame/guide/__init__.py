"""The guide in the window: its pages, and what F1 tells of what has the focus.

guide      its commands, and which page is shown for what; start reading here
viewer     the window of pages
here       what is told of a field, a mark, a part of a station
keys       the commands with their keys, as a table
"""
