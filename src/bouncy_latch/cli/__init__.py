"""The command line: one module for every group of commands, :mod:`main` puts them together."""
