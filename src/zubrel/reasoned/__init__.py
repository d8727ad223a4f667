"""Why something can never be: trees of claims, each proved against what can still come."""
