"""World -> single walks: a small interpreter that knows nothing of the compiled system."""
