"""Shares: what is given to readers, seen as they see it, kept in the forms they take, told, counted and taken back."""
