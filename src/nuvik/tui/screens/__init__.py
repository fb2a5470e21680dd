"""A screen for each stage, and the small ones that help."""
