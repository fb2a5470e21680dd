"""What earlier surveys tell: growth, and when a library was last used."""
