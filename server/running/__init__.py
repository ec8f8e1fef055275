"""Benches that run in this process, and the browsers that look at them."""
