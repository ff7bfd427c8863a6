"""Springs: what is printed flat and gives."""
