"""Recognising: which folders are libraries, what they hold, what parts they have, and whether they may move.

Nuvik knows no product by name. It goes by what the platform says, by folder conventions, and by what folders hold.
"""
