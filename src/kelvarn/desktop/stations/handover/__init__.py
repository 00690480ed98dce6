"""The Handover station: what it is for left, the sheet or settings in the middle, what is still open right."""
