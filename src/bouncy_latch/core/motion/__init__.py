"""Moving a mechanism through its freedom and measuring what is left between its bodies."""
