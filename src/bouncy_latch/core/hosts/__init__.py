"""Bodies that mechanisms are built into: plain leaves, boxes from an outline, chains."""
