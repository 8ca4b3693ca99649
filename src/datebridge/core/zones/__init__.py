"""Time zones: what a TZID means, and how a zone is written down."""
