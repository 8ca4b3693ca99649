"""Crossings: planned moves, their lanes carried, carried again, and verified."""
