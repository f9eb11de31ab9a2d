"""The window. Only this floor imports Qt."""
