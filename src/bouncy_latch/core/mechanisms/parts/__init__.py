"""Parts: bodies that mechanisms are built into, built in or read from the user's files."""
