"""Parts that any part of the window uses."""
