"""The bench: the window over the core. It shows documents and issues edits; it computes nothing itself."""
