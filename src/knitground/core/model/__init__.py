"""What a project is: plain data, no algorithms."""
