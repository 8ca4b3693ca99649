"""Long work: queued, done by the workers, begun again after a kill."""
