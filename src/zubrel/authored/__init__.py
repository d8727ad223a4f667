"""Files -> Document: YAML with line marks, fields by shape, conditions by grammar."""
