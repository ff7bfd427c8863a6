"""Hinges: pins and knuckles that are printed in place."""
