"""Mask shapers: each file one kind."""
