"""Searches over a design: remedies of one verdict, a target, the nearest design that can be, the print window."""
