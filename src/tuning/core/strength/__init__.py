"""Hand-held strength: trials and the trace of the gauge."""
