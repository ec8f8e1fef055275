"""Measurements behind every claim of speed and memory: `./bell bench`."""
