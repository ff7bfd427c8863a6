"""What a pocket for a bought nut is made of: its sizes, its plan and shape, its verdicts."""
