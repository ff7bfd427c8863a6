"""Long random trials: designs, kills, hostile files, window actions. See docs/reliability.md."""
