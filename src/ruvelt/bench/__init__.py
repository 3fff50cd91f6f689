"""Benchmarks: our kernels and paths against other libraries, in one run, as ratios."""
