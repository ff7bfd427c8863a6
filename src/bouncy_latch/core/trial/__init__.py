"""Trying a motion out: nothing may touch, parts ride over each other, teeth mesh, or one body bends alone."""
