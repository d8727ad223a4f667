"""System -> Space: every situation that any play can reach."""
