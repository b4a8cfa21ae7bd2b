"""The left panel: one module a stage."""
