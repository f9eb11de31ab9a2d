"""JSON for other programs."""
