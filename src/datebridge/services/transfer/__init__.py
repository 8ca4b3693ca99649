"""Transfers: copying and moving a selection."""
