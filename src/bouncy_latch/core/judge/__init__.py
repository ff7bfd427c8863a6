"""Judging a design: verdicts, remedies, print window, rulers, target, and the judgement of a print."""
