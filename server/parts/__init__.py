"""Parts: the shipped catalogue and a workshop's own."""
