"""Logbook and Mend: change sets, what is wrong."""
