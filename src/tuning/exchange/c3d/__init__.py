"""C3D files."""
