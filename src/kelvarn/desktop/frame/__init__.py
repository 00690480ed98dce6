"""The window round the stations: start, line, menus, finder, project files, size. The commands alone import it."""
