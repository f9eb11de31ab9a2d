"""The computation: no Qt, no files, no database, no clock."""
