"""The Control station: candidates left, strip in the middle, settings right, pass marks in the foot."""
