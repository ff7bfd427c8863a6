"""What knuckle hinges are made of: sizes, dimensions worked out, verdicts, and what is done to each body."""
