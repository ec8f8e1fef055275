"""What the core works out of a craft for the Kit, Port plan and Loom hops."""
