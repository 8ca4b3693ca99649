"""Mending: what is wrong is put right, or away."""
