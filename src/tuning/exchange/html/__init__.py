"""Self-contained pages: no network, nothing outside the file."""
