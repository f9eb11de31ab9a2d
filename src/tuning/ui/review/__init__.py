"""Review: to come."""
