"""The Django side: it asks linkcore and keeps what must be kept."""
