"""Connect: accounts, imports, calendars, transfers, and what is in conflict."""
