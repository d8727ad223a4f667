"""Findings -> reasons in words."""
