"""Buying: what another drive would change, and which file system a drive should have."""
