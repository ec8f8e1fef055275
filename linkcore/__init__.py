"""The computation behind Coin Bell: no Django, no network, no files opened; streams are handed in."""
