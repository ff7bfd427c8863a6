"""Open formats in and out: one module a format, each a pair of plain functions."""
