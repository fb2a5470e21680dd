"""Mending: what Nuvik left on the drives is found again, with the journal or without, and brought to its end."""
