"""Pictures: marks, plane geometry, kinds of picture."""
