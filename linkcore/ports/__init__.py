"""The Port plan hop's rules: which port does what, and whether the receiver's wire meets its job."""
