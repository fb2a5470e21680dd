"""Ordering: moves in an order that keeps every drive above its floor, by way of a staging drive where needed."""
