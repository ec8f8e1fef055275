"""The Lost link hop's rules: what happens when, predicted and measured."""
