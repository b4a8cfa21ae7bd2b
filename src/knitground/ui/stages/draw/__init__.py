"""Draw: what is taken in hand."""
