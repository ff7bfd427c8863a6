"""The window itself: what is laid out where, its commands and keys, what it remembers, what is dropped on it."""
