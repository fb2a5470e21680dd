"""Drives: how fast each really is, findings about it, and what users type about it."""
