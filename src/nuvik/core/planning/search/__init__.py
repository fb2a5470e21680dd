"""Searching: the best placement there is, and the best that an order of moves leads to."""
