"""Telling people of changes: what they ask for, the inbox, mail, feeds."""
