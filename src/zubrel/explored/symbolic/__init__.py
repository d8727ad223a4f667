"""Sets of situations as decision diagrams."""
