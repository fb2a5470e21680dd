"""One screen a stage, and the small ones that help."""
