"""From observations to contributing factors: patterns, balance sheets, the next best test."""
