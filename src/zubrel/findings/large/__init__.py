"""Findings on worlds of full size: planning, questions, batches."""
