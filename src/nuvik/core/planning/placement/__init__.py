"""Placement: which library may stand where, what that costs, and the best placement of all, with its proof."""
