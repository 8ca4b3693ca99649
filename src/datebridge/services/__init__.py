"""The use cases: bringing files in, cleaning, putting away, handing on; and the jobs that carry them."""
