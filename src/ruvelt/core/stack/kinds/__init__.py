"""Kinds of mask steps, fill contents and adjustments: one file each, found by its folder or through the entry points `ruvelt.kinds`."""
