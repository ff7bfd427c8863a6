"""Everything that computes; no interface library is imported from here on down."""
