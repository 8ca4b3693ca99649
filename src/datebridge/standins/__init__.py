"""Simulated outside systems that speak the open protocols for real: two calendar servers, a feed host, a mail drop."""
