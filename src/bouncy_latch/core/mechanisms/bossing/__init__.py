"""What a screw's hole and its boss are made of: sizes, plan, shape, verdicts."""
