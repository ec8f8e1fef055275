"""Capture files that the browser hands in."""
