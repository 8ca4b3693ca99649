"""What runs beside the pages: the workers, the clock and maintenance."""
