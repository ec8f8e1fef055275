"""Crafts, their drafts and revisions."""
