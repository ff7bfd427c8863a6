"""Pages that stand in for the bench: choosing a mechanism, the user's printers, the user's hardware."""
