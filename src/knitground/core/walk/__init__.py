"""Walk: a figure goes about on the map as it stands."""
