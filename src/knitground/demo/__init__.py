"""The demo project Harl Pans and its art, made by script."""
