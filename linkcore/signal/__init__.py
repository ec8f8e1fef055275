"""Levels and edges <-> bytes, and the open file formats that carry them."""
