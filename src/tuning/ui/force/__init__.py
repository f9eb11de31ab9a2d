"""The Force stage: live plates, traces, all tests side by side, the balance beam."""
