"""Captive nuts: pockets that hold a bought nut."""
