"""What a set of parts can do together, before a wire is soldered."""
