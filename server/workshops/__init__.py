"""The people who share crafts."""
