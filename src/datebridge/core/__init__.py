"""The computation: no web, no database, no network, no clock of its own."""
