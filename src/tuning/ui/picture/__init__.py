"""Pictures: open, step, mark and read them; shared by every stage that uses a camera."""
