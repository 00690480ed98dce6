"""What goes to the device: settings as JSON and the sheet to print. Imports `files` and the layers above it only."""
