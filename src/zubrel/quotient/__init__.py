"""Reduced + engine -> Lens: a searched reduction behind the questions about the whole world."""
