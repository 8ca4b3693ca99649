"""Repeat rules: reading them, saying them in words, and where they end."""
