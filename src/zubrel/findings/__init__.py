"""Space -> Finding: one detector a file, over any engine's sets of situations."""
