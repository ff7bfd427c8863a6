"""Stand-ins for the devices on the bench: a printer with errors of its own, and a caliper."""
