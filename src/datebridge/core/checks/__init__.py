"""What can be wrong with entries: one check a file."""
