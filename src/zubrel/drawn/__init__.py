"""Pictures of a report."""
