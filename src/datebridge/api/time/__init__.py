"""Look at time: views, overlaps, two sides, editing."""
