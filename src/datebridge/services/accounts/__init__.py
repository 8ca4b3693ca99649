"""Accounts: added, looked through, signed in to, left."""
