"""What the snap-fit kinds share: parameters, the judged snap, checks, figures, outlines and the press-in motion."""
