"""How likely is it: players that move by chance, on every situation or in simulated plays."""
