"""Movement: pictures, marks and what they read."""
