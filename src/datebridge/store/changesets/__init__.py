"""Change sets: made, applied, looked at, taken back, cleared away."""
