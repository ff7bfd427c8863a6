"""Springs that print flat: what bends along its whole length, loaded in the plane of its layers."""
