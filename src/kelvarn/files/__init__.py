"""What is kept on disk: the project file, the autosave journal, tables of results.

Imports `units`, `model`, `engine` and `demos` only. Start reading at `project_file.py`.
"""
