"""Crafts as people work on them: listed, begun, saved, with their revisions."""
