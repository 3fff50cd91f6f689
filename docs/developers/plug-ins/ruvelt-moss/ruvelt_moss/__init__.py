"""Moss for the storm lantern: kinds of its own, found by Ruvelt once this package is installed."""
