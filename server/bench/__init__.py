"""The live bench: one place runs it, everybody sees it."""
