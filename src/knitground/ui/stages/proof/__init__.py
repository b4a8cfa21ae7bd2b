"""The Proof stage."""
