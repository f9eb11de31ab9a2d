"""Reports: what is written of the open case, looked at, put right, kept and sent."""
