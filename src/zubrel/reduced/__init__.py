"""Smaller systems that answer the same question, and the way back."""
