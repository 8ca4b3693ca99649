"""Imports: files kept, read, decided on."""
