"""The print prediction: what the layers of neighbouring bodies do to each other."""
