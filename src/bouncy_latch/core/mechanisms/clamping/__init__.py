"""What the tube clamp is made of: its sizes, its plan and shape, its verdicts."""
