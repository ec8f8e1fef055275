"""Binding: how two ends come to know each other, and the proof that they do."""
