"""Checks of finished work: what a receiver would stumble over, found in the maps as they are written."""
