"""Shared values that know nothing of worlds: spans, diagnostics, budgets, progress, spelling."""
