"""From cells to pixels."""
