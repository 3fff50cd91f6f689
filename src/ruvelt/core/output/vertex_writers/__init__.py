"""Formats for vertex paint, one file each."""
