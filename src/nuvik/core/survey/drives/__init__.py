"""Drives: how fast each really is, what is to be said of it, and what users type about it."""
