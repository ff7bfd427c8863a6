"""Printed plastic that bends: sections, beams, planar frames, rings, and what happens when a bump rides over an edge."""
