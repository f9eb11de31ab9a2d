"""The visit: tests, their order, the plan, the next step."""
