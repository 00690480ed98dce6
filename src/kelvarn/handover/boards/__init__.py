"""What stands around the control step in a device: by hand, once for each language, without arithmetic of control."""
