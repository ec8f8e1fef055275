"""Kit: the parts, and what they can do together."""
