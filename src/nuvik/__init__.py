"""Nuvik: see what fills your drives, rehearse moving it, and move it so that nothing is lost."""

__version__ = "0.1.0"
