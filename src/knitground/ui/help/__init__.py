"""Help: one short page a stage, in the window and under `docs/help`; F1 leads to what is meant."""
