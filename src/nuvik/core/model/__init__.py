"""Plain immutable values: what a drive, a library, a plan, a timeline and a move are. No I/O."""
