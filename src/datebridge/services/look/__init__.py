"""Looking: days, overlaps, two sides, one entry in full."""
