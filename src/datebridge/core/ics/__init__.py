"""Reading and writing iCalendar (RFC 5545): tolerant on the way in, lossless on the way out."""
