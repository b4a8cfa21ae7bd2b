"""Proofs of a project: what is wrong before a game finds it."""
