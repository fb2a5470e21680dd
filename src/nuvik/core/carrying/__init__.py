"""Carrying: moving libraries so that at every instant a complete, verified copy of every byte is reachable.

Read in the order of a move: `run` (a whole plan), `move` (its states), `copying` and `proof`, `switch`, `undo`.
"""
