"""Openings: what a library reads when it is opened, recorded by looking at the system's own memory of files."""
