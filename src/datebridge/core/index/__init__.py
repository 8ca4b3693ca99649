"""What is known of an entry beside its text: facts derived from it, and nothing else."""
