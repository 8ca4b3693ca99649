"""Mend: duplicates."""
