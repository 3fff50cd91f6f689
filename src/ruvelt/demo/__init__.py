"""The demo of Tern Point, a small lighthouse museum: meshes made by script, painted by stroke scripts."""
