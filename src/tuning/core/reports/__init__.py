"""Reports: one content model for every page and letter; each sentence rests on entries of the record."""
