"""Entries as they are looked at: days, overlaps, two sides, sheets."""
