"""Situations one by one: small searches, large ones, and by islands."""
