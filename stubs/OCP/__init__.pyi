"""What is used of the exact kernel, typed; its own binding carries no types."""
