"""What readers reach: an application of its own that knows shares and nothing else."""
