"""Standing: photographs, levels, two scales."""
