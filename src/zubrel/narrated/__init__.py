"""Findings -> Report: traces in the author's words, replayed, with reasons."""
