"""Snap fits: what bends, goes over an edge and springs back."""
