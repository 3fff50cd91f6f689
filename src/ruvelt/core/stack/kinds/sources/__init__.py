"""Mask sources: each file one kind."""
