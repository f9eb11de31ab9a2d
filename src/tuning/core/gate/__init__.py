"""The gate: triage, limits, and whether an act may be done now."""
