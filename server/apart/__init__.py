"""Processes beside the server, forked from one that has everything loaded: for benches, and for reading files."""
