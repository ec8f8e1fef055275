"""Who signs in."""
