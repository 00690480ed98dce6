"""What goes to the device: settings, the sheet, the page for its user. Imports `files` and the layers above it only."""
