"""Judging: measures, the one verdict rule, left against right, before against now."""
