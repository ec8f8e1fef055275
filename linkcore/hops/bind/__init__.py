"""Bind: both ends know each other."""
