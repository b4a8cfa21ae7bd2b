"""The project and its files: opening, saving, copies for bad days, sheets that change."""
