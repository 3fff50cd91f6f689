"""Checks of finished work, one file each."""
