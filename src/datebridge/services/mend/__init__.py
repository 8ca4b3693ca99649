"""Mending: what is wrong is fixed, or removed."""
