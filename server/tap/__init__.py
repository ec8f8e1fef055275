"""Listening to a real or virtual serial line. A tap never sends."""
