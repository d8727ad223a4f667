"""Report -> terminal and JSON."""
