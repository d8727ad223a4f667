"""World -> System: variables with finite domains, rules as guards and effects."""
