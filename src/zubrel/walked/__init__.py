"""World -> Walk: a small interpreter that plays a world move by move."""
