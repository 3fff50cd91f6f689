"""The long run: `make soak`."""
