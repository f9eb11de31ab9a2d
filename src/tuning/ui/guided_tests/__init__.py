"""One way to run hands-on tests: look, answer, next; for Standing and Mobility."""
