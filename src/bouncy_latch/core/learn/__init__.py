"""What prints teach: belief, ladders, the gap chart, and whether the advice works."""
