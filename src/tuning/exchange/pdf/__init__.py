"""Pages to print."""
