"""The demo scenario, loaded into the database."""
