"""What the window works on: document and undo, what is looked at, work under way, what is kept between starts."""
