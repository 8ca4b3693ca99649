"""Staying in step: pull, push, and what is in conflict."""
