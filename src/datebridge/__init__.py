"""Date Bridge: migrate, mend and synchronise calendar data between systems."""

__version__ = "0.1.0"
