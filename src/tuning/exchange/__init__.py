"""Open formats out and in. No Qt."""
