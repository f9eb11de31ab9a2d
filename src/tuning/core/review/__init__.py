"""Review: what changed over the visits, beyond error or not."""
