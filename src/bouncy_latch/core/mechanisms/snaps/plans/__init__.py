"""The designs of the snap fits, one module a kind, worked out before they are judged."""
