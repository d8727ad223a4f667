"""Trees of claims in words: sentences, and plain data with a text for each claim."""
