"""A whole case as one file that plain tools open: a zip of JSON, kept files and their hashes."""
