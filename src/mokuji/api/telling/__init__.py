"""Telling people of changes, in JSON."""
