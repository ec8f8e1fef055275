"""Port plan: every device on a pad and port that can serve it."""
