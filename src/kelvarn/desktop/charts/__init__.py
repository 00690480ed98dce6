"""Charts other than the strip: pyqtgraph under the theme. It takes a second to load: only when a chart is shown."""
