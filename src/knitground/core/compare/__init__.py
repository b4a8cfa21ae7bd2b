"""What is different between two states of a project, and how a part of one is taken back."""
