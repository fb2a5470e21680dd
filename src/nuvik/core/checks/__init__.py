"""Checks: everything that would make a move fail or lose something, looked for before anything is touched."""
