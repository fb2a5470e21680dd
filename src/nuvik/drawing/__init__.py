"""Drawings as SVG and PDF, and the palette that drawings and screens share."""
