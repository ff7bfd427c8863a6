"""Bodies that mechanisms are built into, the seats on them, and what mechanisms do to them."""
