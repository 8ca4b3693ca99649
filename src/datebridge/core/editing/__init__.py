"""Editing entries: the fields people change, written back into the text that holds them."""
