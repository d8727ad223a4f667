"""Situations packed into words: layout, kernels, settling, single steps."""
