"""Verdicts, kinds, doubts and what stands beside them, put on trial: simulated studies whose truth is known."""
