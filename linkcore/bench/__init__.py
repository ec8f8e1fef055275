"""The bench: runs the stand-ins in slices, measures from what they say, proves and tells."""
