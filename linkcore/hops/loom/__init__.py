"""Loom: the wires, drawn, checked and rung out."""
