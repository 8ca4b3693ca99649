"""The web interface's server side: routers and shapes. No rules of the trade in here."""
