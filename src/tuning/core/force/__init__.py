"""Force plates: from samples to repetitions, phases, rates, sides."""
