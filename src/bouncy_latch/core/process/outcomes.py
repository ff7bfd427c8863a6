"""What can become of a print-in-place joint: the words that predictions, records and evidence share."""

OUTCOMES = ("welded", "needs a tool", "frees by hand", "free", "rattles")
"""In order of freedom."""
