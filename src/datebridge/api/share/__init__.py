"""The stage Share: what is given to readers."""
