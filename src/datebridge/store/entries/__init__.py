"""Entries in force and their versions: written, listed, found, asked when they happen."""
