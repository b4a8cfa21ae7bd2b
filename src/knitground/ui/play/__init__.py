"""Play: shipped maps as a game would show them, in a process of its own."""
