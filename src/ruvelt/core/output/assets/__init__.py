"""Formats of whole assets, one file each."""
