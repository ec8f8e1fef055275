"""Recorded tests."""
