"""Ruvelt: paint the surface of 3D models in layers, and export map sets."""

__version__ = "0.3.0"
