"""Programme: poses, ladders, doses."""
