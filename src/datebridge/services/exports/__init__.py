"""Exports: files for others, archives, other formats."""
