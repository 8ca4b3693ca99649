"""The store: entries as text with an index beside it, change sets, the logbook, jobs."""
