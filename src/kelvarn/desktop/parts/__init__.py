"""Widgets and texts that know no project: boxes, panels, cards, menus, tables, what keys do.

Imports `theme` alone of the desktop.
"""
