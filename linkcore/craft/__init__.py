"""The craft document: versioned, validated, hashed by section."""
