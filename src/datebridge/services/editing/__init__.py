"""Editing entries and calendars."""
