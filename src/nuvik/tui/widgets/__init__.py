"""The pieces that screens are made of, one a file."""
