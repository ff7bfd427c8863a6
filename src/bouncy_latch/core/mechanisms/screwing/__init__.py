"""What a printed thread is made of: its sizes, its plan and shape, its verdicts."""
