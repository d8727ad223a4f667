"""Document -> World: every name resolved, every type right, amounts bounded."""
