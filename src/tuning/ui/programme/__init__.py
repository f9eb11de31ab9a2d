"""Programme: ladders, doses and the plan."""
