"""The stage Cross: planned moves."""
