"""What can become of a print: the words that predictions, records and evidence share."""

OUTCOMES = ("welded", "needs a tool", "frees by hand", "free", "rattles")
"""Of a joint printed in place, in order of freedom."""
SNAPPED = ("will not go in", "goes in hard", "snaps in", "falls out", "breaks")
"""Of a snap fit."""
EVERY = (*OUTCOMES, *SNAPPED)
