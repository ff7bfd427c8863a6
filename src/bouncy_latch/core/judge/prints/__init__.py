"""Checks of one print: the sliced layers of a mechanism or of files, and where a print pauses."""
