"""Judged -> findings: one kind, or a few that are told alike, a file."""
