"""Look: the table of everything."""
