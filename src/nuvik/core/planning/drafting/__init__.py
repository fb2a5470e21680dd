"""Drafting: a placement that is edited, the recommendation it may begin with, and the plan it becomes."""
