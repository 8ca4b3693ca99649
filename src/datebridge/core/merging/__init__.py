"""Two states of an object, or of a whole calendar, that began as one, put together: three-way merging."""
