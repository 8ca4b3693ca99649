"""The only code that talks to other systems: guarded HTTP, feeds, CalDAV."""
