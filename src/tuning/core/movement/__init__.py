"""Movement: marks through a clip, cycles, tasks, load share."""
