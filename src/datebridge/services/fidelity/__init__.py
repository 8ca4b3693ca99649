"""What targets keep: measured by writing and reading back, and laid upon entries."""
